/** Larkmoor Weather Cooperative: everything about it is invented. */
import type { CostCentre } from '../core/types.ts'

export const DEMO_DATE = '2026-11-20'
export const FIRST_MONTH = '2025-09'
export const LAST_MONTH = '2026-11'
export const REPORTING_CURRENCY = 'EUR'

export interface BusinessUnit { code: string; name: string; owner: string }

export const UNITS: BusinessUnit[] = [
  { code: '10', name: 'Forecast Operations', owner: 'S. Lindqvist' },
  { code: '20', name: 'Public Services', owner: 'I. Okoro' },
  { code: '30', name: 'Marine and Airfield', owner: 'T. Marchetti' },
  { code: '40', name: 'River and Flood', owner: 'H. Novak' },
  { code: '50', name: 'Research', owner: 'E. Castellan' },
  { code: '90', name: 'Corporate', owner: 'A. Brandt' },
]

const centre = (code: string, name: string, owner: string): CostCentre =>
  ({ code, name, unit: code.slice(0, 2), owner, ledgerAccount: `6${code}0`, validFrom: null, validTo: null })

export const CENTRES: CostCentre[] = [
  centre('1010', 'Model Runs', 'S. Lindqvist'),
  centre('1020', 'Radar Ingest', 'P. Adeyemi'),
  centre('1030', 'Duty Desk', 'J. Ferreira'),
  centre('2010', 'Phone App', 'I. Okoro'),
  centre('2020', 'Open Data Portal', 'L. Haugen'),
  centre('2030', 'School Outreach', 'N. Petrova'),
  centre('3010', 'Harbour Briefings', 'T. Marchetti'),
  centre('3020', 'Airfield Briefings', 'D. Osei'),
  centre('4010', 'River Gauges', 'H. Novak'),
  centre('4020', 'Flood Warnings', 'C. Bertrand'),
  centre('5010', 'Climate Archive', 'E. Castellan'),
  centre('5020', 'Nowcast Lab', 'Y. Tanaka'),
  centre('9010', 'IT Platform', 'R. Vane'),
  centre('9020', 'Finance and People', 'M. Aldous'),
]

/** People who can sign in to the demo; the password is the sign-in name followed by `-larkmoor`. */
export const PEOPLE = [
  { login: 'aldous', name: 'M. Aldous', role: 'accountant', centres: [] },
  { login: 'brandt', name: 'A. Brandt', role: 'controller', centres: [] },
  { login: 'okoro', name: 'I. Okoro', role: 'owner', centres: ['2010'] },
  { login: 'vane', name: 'R. Vane', role: 'administrator', centres: [] },
] as const

export interface Provider { name: string; currency: string; account: string; accountName: string; lag: number }

export const PROVIDERS: Record<string, Provider> = {
  nimbrel: { name: 'Nimbrel', currency: 'USD', account: 'nb-4471', accountName: 'Larkmoor main', lag: 1 },
  tarnhost: { name: 'Tarnhost', currency: 'EUR', account: 'th-2093', accountName: 'Larkmoor cooperative', lag: 1 },
  orvane: { name: 'Orvane', currency: 'GBP', account: 'ov-118', accountName: 'Larkmoor', lag: 2 },
  loomlog: { name: 'Loomlog', currency: 'USD', account: 'lm-77', accountName: 'Larkmoor logs', lag: 1 },
  quarry: { name: 'Quarry Hall', currency: 'EUR', account: 'qh-1', accountName: 'Own data hall', lag: 1 },
}

/** EUR for one unit, average of the month; invented. */
export const RATES: Record<string, Record<string, string>> = Object.fromEntries(
  [
    ['2025-09', '0.8524', '1.1462'], ['2025-10', '0.8587', '1.1489'], ['2025-11', '0.8641', '1.1377'], ['2025-12', '0.8559', '1.1421'],
    ['2026-01', '0.8613', '1.1506'], ['2026-02', '0.8702', '1.1533'], ['2026-03', '0.8668', '1.1498'], ['2026-04', '0.8731', '1.1552'],
    ['2026-05', '0.8794', '1.1587'], ['2026-06', '0.8752', '1.1609'], ['2026-07', '0.8689', '1.1571'], ['2026-08', '0.8634', '1.1544'],
    ['2026-09', '0.8667', '1.1526'], ['2026-10', '0.8715', '1.1563'], ['2026-11', '0.8743', '1.1591'],
  ].map(([month, usd, gbp]) => [month!, { USD: usd!, GBP: gbp! }]),
)

/** The same on the last day of the month; and those that two providers put on their invoices of November 2026. */
export const MONTH_END: Record<string, Record<string, string>> = Object.fromEntries(Object.entries(RATES).map(([month, rates], index) =>
  [month, Object.fromEntries(Object.entries(rates).map(([currency, rate]) => [currency, (Number(rate) * (1 + ((index * 7) % 5 - 2) / 500)).toFixed(4)]))]))
export const INVOICE_RATES = [{ month: '2026-11', currency: 'USD', provider: 'Nimbrel', rate: '0.8801' }, { month: '2026-11', currency: 'USD', provider: 'Loomlog', rate: '0.8712' }, { month: '2026-11', currency: 'GBP', provider: 'Orvane', rate: '1.1602' }]

/** The key of the tag that names the team: as it should be written, and the spellings that occur. */
export const SPELLINGS = ['team', 'Team', 'TEAM', 'te-am', 'owner_team']
