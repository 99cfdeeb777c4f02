import { nextTick } from 'vue'

/** The list with one thing moved to another place; null where that changes nothing. */
export function moved<T>(list: readonly T[], from: number, to: number): T[] | null {
  if (to < 0 || to >= list.length || from === to) return null
  const next = [...list]
  next.splice(to, 0, ...next.splice(from, 1))
  return next
}

/** After a move by keyboard the grip that was moved keeps the focus, so that it can be moved on. `selector`: its row. */
export async function keepGrip(selector: string): Promise<void> {
  await nextTick()
  document.querySelector<HTMLElement>(`${selector} .grip`)?.focus()
}
