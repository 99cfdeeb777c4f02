import type { KeyOutcome } from '../allocatePeriod.ts'
import { convert, type RateTable } from '../money/convert.ts'
import type { Basis } from '../types.ts'

/** Money that goes one way under one rulebook and another way under the other. Amounts in 10^-20 of the reporting currency. */
export interface Move { from: string; to: string; amount: bigint; keys: Map<number, bigint> }

/** Where an outcome leaves its money: `cc:1010`, `pool:TAX`, `aside`, `unassigned`. */
export const placeOf = ({ way: { kind, target } }: Pick<KeyOutcome, 'way'>): string => (kind === 'costCentre' ? `cc:${target}` : kind === 'pool' ? `pool:${target}` : kind)

type Places = Map<string, bigint>

function byKey(outcomes: readonly KeyOutcome[], basis: Basis, rates: RateTable): Map<number, Places> {
  const keys = new Map<number, Places>()
  for (const outcome of outcomes) {
    const { key, amounts } = outcome
    let places = keys.get(key.id)
    if (!places) keys.set(key.id, (places = new Map()))
    const place = placeOf(outcome)
    places.set(place, (places.get(place) ?? 0n) + convert(amounts[basis], key.attributes.BillingCurrency!, rates, key.attributes.ProviderName ?? ''))
  }
  return keys
}

/** Whether the outcomes of one key are the same as of another run: by far the most are, and need no arithmetic. */
function isSame(before: readonly KeyOutcome[], after: readonly KeyOutcome[]): boolean {
  return before.length === after.length && before.every((one, index) => placeOf(one) === placeOf(after[index]!) && one.percent === after[index]!.percent && one.row === after[index]!.row)
}

function grouped(outcomes: readonly KeyOutcome[]): Map<number, KeyOutcome[]> {
  const keys = new Map<number, KeyOutcome[]>()
  for (const outcome of outcomes) {
    const known = keys.get(outcome.key.id)
    if (known) known.push(outcome)
    else keys.set(outcome.key.id, [outcome])
  }
  return keys
}

/**
 * What moves between two sets of outcomes over the same keys, largest money first. What a key leaves goes to where it
 * gains, in the order of the places, so that the moves out of a place less those into it are its difference, exactly.
 */
export function movesBetween(before: readonly KeyOutcome[], after: readonly KeyOutcome[], basis: Basis, rates: RateTable): Move[] {
  const [old, fresh] = [grouped(before), grouped(after)]
  const changed = [...fresh].filter(([key, outcomes]) => !isSame(old.get(key) ?? [], outcomes)).map(([key]) => key)
  const [was, is] = [byKey(changed.flatMap((key) => old.get(key) ?? []), basis, rates), byKey(changed.flatMap((key) => fresh.get(key)!), basis, rates)]
  const moves = new Map<string, Move>()
  for (const key of changed) {
    for (const { from, to, amount } of pairUp(differences(was.get(key) ?? new Map(), is.get(key)!))) {
      const name = `${from}\u0000${to}`
      const move = moves.get(name) ?? { from, to, amount: 0n, keys: new Map<number, bigint>() }
      move.amount += amount
      move.keys.set(key, (move.keys.get(key) ?? 0n) + amount)
      moves.set(name, move)
    }
  }
  const size = ({ amount }: Move): bigint => (amount < 0n ? -amount : amount)
  return [...moves.values()].sort((a, b) => (size(b) > size(a) ? 1 : size(b) < size(a) ? -1 : a.from + a.to < b.from + b.to ? -1 : 1))
}

function differences(was: Places, is: Places): [string, bigint][] {
  return [...new Set([...was.keys(), ...is.keys()])].sort().map((place): [string, bigint] => [place, (is.get(place) ?? 0n) - (was.get(place) ?? 0n)]).filter(([, change]) => change !== 0n)
}

/** Differences of one key, which add up to nothing, as moves from those who bear less to those who bear more. */
function pairUp(changes: [string, bigint][]): { from: string; to: string; amount: bigint }[] {
  const losses = changes.filter(([, change]) => change < 0n).map(([place, change]) => ({ place, left: -change }))
  const gains = changes.filter(([, change]) => change > 0n).map(([place, change]) => ({ place, left: change }))
  const moves: { from: string; to: string; amount: bigint }[] = []
  let [loss, gain] = [0, 0]
  while (loss < losses.length && gain < gains.length) {
    const [from, to] = [losses[loss]!, gains[gain]!]
    const amount = from.left < to.left ? from.left : to.left
    moves.push({ from: from.place, to: to.place, amount })
    from.left -= amount
    to.left -= amount
    if (from.left === 0n) loss++
    if (to.left === 0n) gain++
  }
  return moves
}
