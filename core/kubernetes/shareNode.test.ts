import { describe, expect, test } from '@jest/globals'
import fc from 'fast-check'
import { GIBIBYTE, MICROCORES, RESOURCES, type Quantities } from './meterDay.ts'
import { holdHour, shareNode, totalOf, unitWeights } from './shareNode.ts'

const quantity = fc.bigInt({ min: 0n, max: 10n ** 12n })
const held = fc.array(fc.record({ cpu: quantity, memory: quantity, gpu: quantity }), { maxLength: 6 })
const weights = fc.record({ cpu: fc.bigInt({ min: 0n, max: 1_000n }), memory: fc.bigInt({ min: 0n, max: 1_000n }), gpu: fc.bigInt({ min: 0n, max: 1_000n }) })
const money = fc.bigInt({ min: -(10n ** 16n), max: 10n ** 16n })
/** What holders have, and as much again idle. */
const capacityFor = (of: readonly Quantities[], spare: Quantities): Quantities => Object.fromEntries(RESOURCES.map((resource) => [resource, of.reduce((sum, one) => sum + one[resource], spare[resource])])) as Quantities

describe('a node’s cost', () => {
  test('goes to holders and idle to the last unit, or to nobody where there is nothing to share by', () => {
    fc.assert(fc.property(money, weights, held, fc.record({ cpu: quantity, memory: quantity, gpu: quantity }), (cost, by, holders, spare) => {
      const capacity = capacityFor(holders, spare)
      const shares = shareNode(cost, by, capacity, holders)
      const base = RESOURCES.reduce((sum, resource) => sum + capacity[resource] * by[resource], 0n)
      if (base === 0n) expect(shares).toBeNull()
      else expect([...shares!.parts, shares!.idle].reduce((sum, one) => sum + totalOf(one), 0n)).toBe(cost)
    }))
  })
  test('each holder pays its part of the weighted capacity, to one unit of each resource, and a credit mirrors a cost', () => {
    fc.assert(fc.property(money, weights, held, fc.record({ cpu: quantity, memory: quantity, gpu: quantity }), (cost, by, holders, spare) => {
      const capacity = capacityFor(holders, spare)
      const base = RESOURCES.reduce((sum, resource) => sum + capacity[resource] * by[resource], 0n)
      fc.pre(base > 0n)
      const shares = shareNode(cost, by, capacity, holders)!
      holders.forEach((holder, index) => RESOURCES.forEach((resource) => {
        const difference = shares.parts[index]![resource] * base - cost * holder[resource] * by[resource]
        expect(difference < base && difference > -base).toBe(true)
      }))
      const credit = shareNode(-cost, by, capacity, holders)!
      expect(credit.parts.map(totalOf)).toEqual(shares.parts.map((part) => -totalOf(part)))
    }))
  })
  test('depends on the proportion of the weights alone', () => {
    fc.assert(fc.property(money, weights, held, fc.bigInt({ min: 1n, max: 99n }), (cost, by, holders, factor) => {
      const capacity = capacityFor(holders, { cpu: 5n, memory: 7n, gpu: 1n })
      const times = { cpu: by.cpu * factor, memory: by.memory * factor, gpu: by.gpu * factor }
      expect(shareNode(cost, times, capacity, holders)).toEqual(shareNode(cost, by, capacity, holders))
    }))
  })
  test('a price of one core equal to nine gibibytes weighs a core as nine gibibytes', () => {
    const { cpu, memory } = unitWeights({ cpu: '9', memory: '1', gpu: '0' })
    expect(cpu * BigInt(MICROCORES)).toBe(memory * BigInt(GIBIBYTE) * 9n)
    const decimals = unitWeights({ cpu: '0.031611', memory: '0.004237', gpu: '0.95' })
    expect((decimals.cpu * BigInt(MICROCORES) * 4_237n) / (decimals.memory * BigInt(GIBIBYTE))).toBe(31_611n)
  })
})

describe('an hour of a resource', () => {
  const wants = fc.array(quantity, { maxLength: 8 })
  const byIndex = (index: number): number => index
  test('nobody holds more than is wanted, all together no more than there is, and what is left is idle', () => {
    fc.assert(fc.property(quantity, wants, (capacity, wanted) => {
      const { held: holds, idle } = holdHour(capacity, wanted, byIndex)
      const sum = (of: readonly bigint[]): bigint => of.reduce((all, one) => all + one, 0n)
      expect(holds.every((one, index) => one >= 0n && one <= wanted[index]!)).toBe(true)
      expect(sum(holds)).toBe(sum(wanted) < capacity ? sum(wanted) : capacity)
      expect(sum(idle)).toBe(sum(holds) > 0n ? capacity - sum(holds) : 0n)
    }))
  })
  test('wanting more never gives less', () => {
    fc.assert(fc.property(quantity, fc.array(quantity, { minLength: 1, maxLength: 8 }), quantity, (capacity, wanted, more) => {
      const [before, after] = [wanted, [wanted[0]! + more, ...wanted.slice(1)]].map((of) => holdHour(capacity, of, byIndex).held[0]!)
      expect(after! >= before!).toBe(true)
    }))
  })
})
