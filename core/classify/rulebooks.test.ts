import { describe, expect, test } from '@jest/globals'
import fc from 'fast-check'
import { allocatePeriod, type PeriodInput } from '../allocatePeriod.ts'
import { convert } from '../money/convert.ts'
import { amountOf } from '../money/amount.ts'
import { splitAmounts } from '../money/percents.ts'
import { cellsOf } from '../statements/cells.ts'
import { emptyRulebook, POOL_METHODS, type Classification, type CleanStep, type Condition, type CostCentre, type Drivers, type KeyFigures, type Outcome, type Pool, type Rule, type Rulebook } from '../types.ts'
import { checkRulebook } from './checkRulebook.ts'
import { conditionTest } from './conditions.ts'
import { classify, NO_RULE } from './evaluate.ts'
import { explain } from './explain.ts'
import { contradictionOf, contraryPairs, overlapsOf } from './health.ts'
import { KeyTable } from './keyTable.ts'
import { movesBetween, placeOf } from './moves.ts'
import { prepare } from './prepare.ts'

const MONTH = '2026-05'
const CENTRES = ['10', '11', '12'].map((code): CostCentre => ({ code, name: code, unit: 'U', owner: '', ledgerAccount: '', validFrom: null, validTo: null }))
const RATES = new Map([['USD', amountOf('0.8715')], ['EUR', amountOf('1')]])

const team = fc.constantFrom('a', 'b', 'c', undefined)
const figures = fc.record({ provider: fc.constantFrom('A', 'B'), service: fc.constantFrom('m', 'n'), team, spelled: fc.boolean(), billed: fc.bigInt({ min: -(10n ** 13n), max: 10n ** 14n }), effective: fc.bigInt({ min: -(10n ** 13n), max: 10n ** 14n }) })
const keys = fc.array(figures, { minLength: 1, maxLength: 15 }).map((all) => all.map(({ provider, service, team: value, spelled, billed, effective }, index): KeyFigures => ({
  id: index + 1, lines: 1, amounts: { billed, effective }, attributes: { ProviderName: provider, BillingCurrency: provider === 'A' ? 'USD' : 'EUR', ServiceName: service, ...(value ? { [spelled ? 'tag:Team' : 'tag:team']: value } : {}) },
})))
const condition: fc.Arbitrary<Condition> = fc.oneof(
  fc.record({ field: fc.constantFrom('tag:team', 'ServiceName', 'class:product'), operator: fc.constantFrom('is' as const, 'isNot' as const), values: fc.subarray(['a', 'b', 'm', 'n', 'P1', 'P2'], { minLength: 1, maxLength: 2 }) }),
  fc.constantFrom<Condition>({ field: 'tag:team', operator: 'absent', values: [] }, { field: 'class:product', operator: 'present', values: [] }),
)
const outcome: fc.Arbitrary<Outcome> = fc.constantFrom<Outcome>(
  { kind: 'costCentre', code: '10' }, { kind: 'costCentre', code: '11' }, { kind: 'pool', code: 'P' }, { kind: 'pool', code: 'Q' }, { kind: 'aside', reason: 'a gift' },
  { kind: 'split', percents: { '10': '33.3333333333', '11': '33.3333333333', '12': '33.3333333334' } }, { kind: 'mapped', field: 'tag:team', mapping: { a: '10', b: '12' }, elseItself: false },
)
const ruleWith = (to: fc.Arbitrary<Outcome>): fc.Arbitrary<Rule> => fc.record({ conditions: fc.array(condition, { minLength: 1, maxLength: 2 }), outcome: to }).map((parts) => ({ id: '', name: '', enabled: true, from: null, to: null, ...parts }))
const named = (prefix: string) => (rules: Rule[]): Rule[] => rules.map((rule, index) => ({ ...rule, id: `${prefix}${index}`, name: `${prefix}${index}` }))
const productRules = fc.array(ruleWith(fc.constantFrom<Outcome>({ kind: 'value', code: 'P1' }, { kind: 'split', percents: { P1: '25', P2: '75' } }, { kind: 'mapped', field: 'tag:team', mapping: {}, elseItself: true }, { kind: 'aside', reason: 'none' })), { maxLength: 3 }).map(named('p'))
const cleanUp: fc.Arbitrary<CleanStep[]> = fc.boolean().map((on) => [{ id: 's', enabled: on, from: null, to: null, act: { kind: 'key', key: 'team', spellings: ['Team'] } }])
// pools that serve each other, in circles as well; one of them may have no outlet
const base = (other: string): fc.Arbitrary<Pick<Pool, 'base' | 'serves'>> => fc.constantFrom<Pick<Pool, 'base' | 'serves'>>(
  { base: { kind: 'even' }, serves: [other] }, { base: { kind: 'direct' } }, { base: { kind: 'driver', driver: 'D' } }, { base: { kind: 'driver', driver: 'circle' } }, { base: { kind: 'driver', driver: 'none' } },
  { base: { kind: 'fixed', percents: { '10': '40', '11': '20', [`pool:${other}`]: '40' } } },
)
const pools = fc.tuple(base('Q'), base('P')).map(([p, q]): Pool[] => [{ code: 'P', name: 'P', recipients: [], ...p }, { code: 'Q', name: 'Q', recipients: [], ...q }])
const DRIVERS: Drivers = new Map([['D', new Map([['10', 3n], ['12', 4n], ['pool:P', 2n], ['pool:Q', 1n]])], ['circle', new Map([['pool:P', 1n], ['pool:Q', 1n]])]])
const rulebook: fc.Arbitrary<Rulebook> = fc.record({ rules: fc.array(ruleWith(outcome), { maxLength: 6 }).map(named('r')), products: productRules, cleanUp, pools, poolMethod: fc.constantFrom(...POOL_METHODS) })
  .map(({ rules, products, cleanUp: steps, ...rest }) => ({ ...emptyRulebook(), cleanUp: steps, classifications: [{ code: 'product', name: 'Product', rules: products }], rules, ...rest }))
const inputOf = (all: KeyFigures[], book: Rulebook): PeriodInput => ({ month: MONTH, table: prepare(new KeyTable(all), book, MONTH), rulebook: book, centres: CENTRES, rates: RATES, drivers: DRIVERS })
const run = (all: KeyFigures[], book: Rulebook) => allocatePeriod(inputOf(all, book)).result
const sum = (amounts: bigint[]): bigint => amounts.reduce((total, amount) => total + amount, 0n)

describe('generated rulebooks', () => {
  test('every key ends somewhere whole: its outcomes add up to it on both costs, whatever splits and maps', () => {
    fc.assert(fc.property(keys, rulebook, (all, book) => {
      const { outcomes } = run(all, book)
      for (const { id, amounts } of all) for (const basis of ['billed', 'effective'] as const) expect(sum(outcomes.filter(({ key }) => key.id === id).map((one) => one.amounts[basis]))).toBe(amounts[basis])
    }), { numRuns: 300 })
  })
  test('a row has exactly one outcome, or those of one split', () => {
    fc.assert(fc.property(keys, rulebook, (all, book) => {
      const { outcomes, table } = run(all, book)
      table.keys.forEach((_, row) => {
        const own = outcomes.filter((one) => one.row === row)
        expect(new Set(own.map(({ rule }) => rule)).size).toBe(1)
        expect(sum(own.map(({ percent }) => percent))).toBe(10n ** 12n)
        if (own.length > 1) expect(book.rules[own[0]!.rule]!.outcome.kind).toBe('split')
      })
    }))
  })
  test('billed = charged + held + unassigned, what is set aside being held', () => {
    fc.assert(fc.property(keys, rulebook, (all, book) => {
      const result = run(all, book)
      const cells = cellsOf(result)
      for (const line of result.conservation) {
        const of = (...kinds: string[]): bigint => sum(cells.filter((cell) => cell.provider === line.provider && kinds.includes(cell.kind)).map(({ amounts }) => amounts[line.basis]))
        expect([of('direct', 'pool'), of('held', 'aside'), of('unassigned')]).toEqual([line.charged, line.held, line.unassigned])
      }
    }))
  })
  test('the order of two neighbours matters only where they overlap', () => {
    fc.assert(fc.property(keys, rulebook, fc.nat(), (all, book, at) => {
      const index = book.rules.length > 1 ? at % (book.rules.length - 1) : 0
      const [first, second] = [book.rules[index], book.rules[index + 1]]
      fc.pre(first !== undefined && second !== undefined)
      const table = prepare(new KeyTable(all), book, MONTH)
      const { wouldTake } = classify(book.rules, table, MONTH)
      const overlap = new Set(wouldTake[index]!).size > 0 && [...wouldTake[index + 1]!].some((row) => wouldTake[index]!.includes(row))
      const swapped = book.rules.map((rule, place) => (place === index ? second! : place === index + 1 ? first! : rule))
      const byName = (rules: Rule[]): (string | undefined)[] => [...classify(rules, table, MONTH).ruleOf].map((rule) => rules[rule]?.id)
      fc.pre(!overlap)
      expect(byName(swapped)).toEqual(byName(book.rules))
    }))
  })
  test('what moves under a draft is the difference of two full runs, place by place', () => {
    fc.assert(fc.property(keys, rulebook, rulebook, (all, before, after) => {
      const [old, fresh] = [run(all, before).outcomes, run(all, after).outcomes]
      const moves = movesBetween(old, fresh, 'effective', RATES)
      const at = (outcomes: typeof old, place: string): bigint => sum(outcomes.filter((one) => placeOf(one) === place).map(({ amounts, key }) => convert(amounts.effective, key.attributes.BillingCurrency!, RATES, '')))
      for (const place of new Set([...old, ...fresh].map(placeOf))) {
        expect(sum(moves.filter(({ to }) => to === place).map(({ amount }) => amount)) - sum(moves.filter(({ from }) => from === place).map(({ amount }) => amount))).toBe(at(fresh, place) - at(old, place))
      }
      for (const { amount, keys: moved } of moves) expect(sum([...moved.values()])).toBe(amount)
    }))
  })
  test('a replay of the same rulebook over the same charges moves nothing', () => {
    fc.assert(fc.property(keys, rulebook, (all, book) => {
      const [first, again] = [run(all, book), run(all, structuredClone(book))]
      expect(cellsOf(again)).toEqual(cellsOf(first))
      expect(movesBetween(first.outcomes, again.outcomes, 'effective', RATES)).toEqual([])
    }))
  })
  test('the test of a charge names the rule that takes it, and those that would', () => {
    fc.assert(fc.property(keys, rulebook, (all, book) => {
      const table = prepare(new KeyTable(all), book, MONTH)
      const { ruleOf, wouldTake } = classify(book.rules, table, MONTH)
      table.keys.forEach((_, row) => {
        const verdicts = explain(book.rules, table.attributes(row), MONTH)
        expect(verdicts.findIndex(({ kind }) => kind === 'takes')).toBe(ruleOf[row])
        verdicts.forEach(({ kind }, rule) => expect(kind === 'takes' || kind === 'wouldTake').toBe(wouldTake[rule]!.includes(row)))
      })
    }))
  })
  test('overlaps are what each rule would take less what it takes', () => {
    fc.assert(fc.property(keys, rulebook, (all, book) => {
      const classified = classify(book.rules, prepare(new KeyTable(all), book, MONTH), MONTH)
      const overlaps = overlapsOf(classified)
      book.rules.forEach((_, rule) => {
        const given = overlaps.filter((one) => one.rule === rule)
        expect(given.every(({ by }) => by < rule && by !== NO_RULE)).toBe(true)
        expect(given.reduce((count, { rows }) => count + rows.length, 0)).toBe(classified.wouldTake[rule]!.length - classified.ruleOf.filter((taken) => taken === rule).length)
      })
    }))
  })
})

describe('rules by themselves', () => {
  const rule = (conditions: Condition[], to: Outcome = { kind: 'costCentre', code: '10' }): Rule => ({ id: 'x', name: 'X', enabled: true, from: null, to: null, conditions, outcome: to })
  const is = (field: string, ...values: string[]): Condition => ({ field, operator: 'is', values })
  test('a split of a cent by thirds gives its last part to the first code, and a credit is its mirror', () => {
    const parts = (amount: bigint): bigint[] => splitAmounts({ billed: amount, effective: amount }, { c: '33.3333333333', a: '33.3333333334', b: '33.3333333333' }).map(({ amounts }) => amounts.effective)
    expect(parts(100_000_000n)).toEqual([33_333_334n, 33_333_333n, 33_333_333n])
    expect(parts(-100_000_000n)).toEqual([-33_333_334n, -33_333_333n, -33_333_333n])
  })
  test('numbers compare as numbers, dates as dates, and neither with the other', () => {
    const holds = (operator: 'atLeast' | 'below', bound: string, value?: string): boolean => conditionTest({ field: 'tag:x', operator, values: [bound] })(value)
    expect([holds('atLeast', '9', '10'), holds('below', '9', '10'), holds('below', '-0.5', '-1')]).toEqual([true, false, true])
    expect([holds('atLeast', '2026-10-01', '2026-10-01T00:00:00Z'), holds('below', '2026-10-01', '2026-09-30'), holds('atLeast', '2026-10-01', '3000')]).toEqual([true, true, false])
    expect([holds('atLeast', '1'), holds('below', '1'), holds('below', '1', 'nothing')]).toEqual([false, false, false])
  })
  test('conditions that no charge can satisfy together are told', () => {
    expect(contradictionOf(rule([is('tag:a', 'x'), is('tag:a', 'y')]))).toContain('tag:a')
    expect(contradictionOf(rule([is('tag:a', 'x'), { field: 'tag:a', operator: 'isNot', values: ['x', 'y'] }]))).toContain('tag:a')
    expect(contradictionOf(rule([{ field: 'tag:a', operator: 'absent', values: [] }, { field: 'tag:a', operator: 'beginsWith', values: ['x'] }]))).toContain('tag:a')
    expect(contradictionOf(rule([is('tag:a', 'x', 'y'), is('tag:a', 'y', 'z'), is('tag:b', 'q')]))).toBeNull()
    expect(contradictionOf(rule([is('tag:a', 'x', 'y'), { field: 'tag:a', operator: 'isNot', values: ['x'] }, { field: 'tag:a', operator: 'notBeginsWith', values: ['y'] }]))).toContain('tag:a')
  })
  test('two rules with the same conditions and different outcomes are a pair, whatever the order of their conditions', () => {
    const [one, two] = [rule([is('a', 'x', 'y'), is('b', 'z')]), rule([is('b', 'z'), is('a', 'y', 'x')], { kind: 'costCentre', code: '11' })]
    expect(contraryPairs([one, two, { ...two, from: '2026-01' }, one])).toEqual([{ rule: 1, against: 0 }])
  })
  test('a classification asks only for those before it', () => {
    const classes = (...all: Classification[]) => checkRulebook({ ...emptyRulebook(), classifications: all, rules: [rule([is('class:b', 'x')])] }, CENTRES).map(({ message }) => message)
    const [a, b] = [{ code: 'a', name: 'A', rules: [rule([is('class:b', 'x')], { kind: 'value', code: 'v' })] }, { code: 'b', name: 'B', rules: [] }]
    expect(classes(b, a)).toEqual([])
    expect(classes(a, b)).toEqual([expect.stringContaining('asks for the classification b')])
  })
  test('outcomes that cannot work are told in words', () => {
    const told = (to: Outcome): string[] => checkRulebook({ ...emptyRulebook(), rules: [rule([is('tag:a', 'x')], to)] }, CENTRES).map(({ message }) => message)
    expect(told({ kind: 'split', percents: { '10': '50', '11': '49.9999999999' } })).toEqual([expect.stringContaining('do not add up to 100')])
    expect(told({ kind: 'split', percents: { '10': '50', '99': '50' } })).toEqual([expect.stringContaining('99, which is no cost centre')])
    expect(told({ kind: 'aside', reason: ' ' })).toEqual([expect.stringContaining('without a reason')])
    expect(told({ kind: 'mapped', field: 'tag:a', mapping: {}, elseItself: false })).toEqual([expect.stringContaining('maps no value')])
    expect(told({ kind: 'value', code: 'v' })).toEqual([expect.stringContaining('a cost centre is wanted')])
  })
})
