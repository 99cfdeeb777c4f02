import { useEventListener } from '@vueuse/core'
import { useRouter } from 'vue-router'
import { CHAPTERS } from '../router.ts'
import { useSession } from '../stores/session.ts'
import { usePlace } from './usePlace.ts'

export const KEYS: [string, string][] = [
  ['[  ]', 'month before, month after'],
  ['/', 'find anything'],
  ['w', 'open or shut the workings'],
  ['g then a letter', 'go to a chapter: ' + CHAPTERS.map(({ key, name }) => `${key} ${name}`).join(', ')],
  ['b', 'billed or effective cost'],
  ['Esc', 'step back: shut the workings, then the page before'],
  ['?', 'this list'],
]

const isTyping = (target: EventTarget | null): boolean =>
  target instanceof HTMLElement && (target.isContentEditable || ['INPUT', 'TEXTAREA', 'SELECT'].includes(target.tagName))

/** The keys that work on every page, unless something is being typed. */
export function useKeys({ help }: { help: () => void }): void {
  const router = useRouter()
  const session = useSession()
  const { month, months, basis, figure, go, openFigure, linkTo } = usePlace()
  let chord = 0
  let lastFigure: string | null = null

  const step = (by: number): void => {
    const at = months.value.findIndex((candidate) => candidate.month === month.value)
    const next = months.value[at + by]
    if (next) go({ month: next.month, figure: undefined })
  }
  const actions: Record<string, () => void> = {
    '[': () => step(-1), ']': () => step(1), '?': help,
    '/': () => document.querySelector<HTMLInputElement>('#find')?.focus(),
    b: () => go({ basis: basis.value === 'billed' ? 'effective' : 'billed', figure: undefined }),
    w: () => { if (figure.value) lastFigure = figure.value; openFigure(figure.value ? null : (lastFigure ?? document.querySelector<HTMLElement>('[data-figure]')?.dataset.figure ?? null)) },
    Escape: () => { if (figure.value) openFigure(null); else if (history.length > 1) router.back() },
  }
  useEventListener('keydown', (event: KeyboardEvent) => {
    if (event.ctrlKey || event.metaKey || event.altKey || event.defaultPrevented || !session.viewer || isTyping(event.target) || document.querySelector('[role=dialog]')) return
    if (chord && Date.now() - chord < 1_500) {
      chord = 0
      const chapter = CHAPTERS.find(({ key, staff }) => key === event.key && (!staff || session.isStaff))
      if (chapter) return void router.push(linkTo(chapter.path))
    }
    if (event.key === 'g') { chord = Date.now(); return }
    const action = actions[event.key]
    if (!action) return
    event.preventDefault()
    action()
  })
}
