import { describe, expect, test } from '@jest/globals'
import fc from 'fast-check'
import { FlowReader, trafficDrivers, type Flow } from './flows.ts'
import { trafficBy, TRAFFIC_SIDES } from './traffic.ts'

const CENTRES = new Map([['a', '10'], ['b', '10'], ['c', '20']])
const flow = fc.record({ source: fc.constant('T'), day: fc.constantFrom('2026-10-01', '2026-10-02', '2026-10-31'), network: fc.constantFrom('a', 'b', 'c', 'nobody'), account: fc.constantFrom('x', 'y'), service: fc.constantFrom('internet', 'tiles'), bytes: fc.integer({ min: 0, max: 1e12 }) })
const charge = fc.record({ month: fc.constant('2026-10'), costCentre: fc.constantFrom('10', '20'), driver: fc.constantFrom('traffic:internet', 'traffic:tiles'), amount: fc.bigInt({ min: -100_000n, max: 100_000n }) })

describe('traffic', () => {
  test('money of any side adds up to what was charged for traffic that there is, and parts of a time to the whole', () => {
    fc.assert(fc.property(fc.array(flow, { maxLength: 30 }), fc.array(charge, { maxLength: 4 }), fc.constantFrom(...TRAFFIC_SIDES), (flows: Flow[], charges, side) => {
      const total = (from: string, to: string): bigint => trafficBy(side, flows, charges, CENTRES, from, to).reduce((sum, { amount }) => sum + amount, 0n)
      const sent = (centre: string, service: string): number => flows.filter((one) => CENTRES.get(one.network) === centre && one.service === service).reduce((sum, { bytes }) => sum + bytes, 0)
      const charged = charges.filter(({ costCentre, driver }) => sent(costCentre, driver.slice('traffic:'.length)) > 0).reduce((sum, { amount }) => sum + amount, 0n)
      expect(total('2026-10-01', '2026-10-31')).toBe(charged)
      expect(total('2026-10-01', '2026-10-01') + total('2026-10-02', '2026-10-31')).toBe(charged)
      for (const { amount, services } of trafficBy(side, flows, charges, CENTRES, '2026-10-01', '2026-10-31')) expect([...services.values()].reduce((sum, one) => sum + one.amount, 0n)).toBe(amount)
    }))
  })
  test('drivers are bytes by cost centre; networks of nobody count for nobody', () => {
    const reader = new FlowReader(['Day', 'Source', 'Network', 'Account', 'Service', 'Bytes'], () => { throw new Error('no row is wrong') })
    ;[['2026-10-01', 'T', 'a', 'x', 'internet', '5'], ['2026-10-02', 'T', 'b', 'x', 'internet', '7'], ['2026-10-01', 'T', 'nobody', '', 'internet', '900'], ['2026-10-01', 'T', 'c', 'y', 'tiles', '3']].forEach((row, index) => reader.read(row, index + 2))
    expect([...trafficDrivers(reader.finish(), CENTRES)].map(([driver, values]) => [driver, [...values]])).toEqual([['traffic:internet', [['10', 12n * 10n ** 10n]]], ['traffic:tiles', [['20', 3n * 10n ** 10n]]]])
  })
})
