import { readFileSync } from 'node:fs'
import { join } from 'node:path'
import { expect, type Page } from '@playwright/test'
import { PROVIDERS, RATES } from '../../demo/scenario.ts'

type Tally = { lines: number; billed: string; effective: string }
/** What the generator knows, written when the demo was loaded. */
export const answers = JSON.parse(readFileSync(join(process.env.ABACUS_DATA ?? 'data', 'demo-answers.json'), 'utf8')) as Record<string, Tally>

export async function signIn(page: Page, login = 'aldous'): Promise<void> {
  await page.goto('/sign-in')
  await page.getByLabel('Name').fill(login)
  await page.getByLabel('Password').fill(`${login}-larkmoor`)
  await page.getByRole('button', { name: 'Sign in' }).click()
  await expect(page).toHaveURL(/\/desk/)
}

/** The figure of the balance line under a label, as a number. */
export const balance = async (page: Page, label: string): Promise<number> => numberOf(await page.locator(`[data-balance="${label}"]`).innerText())
export const numberOf = (text: string): number => Number(text.replaceAll(',', '').replace('−', '-').replace('+', '').trim())

/** A path of the answers summed over providers, in EUR at the rates of its month. */
export function inEuro(path: string, month: string, basis: 'billed' | 'effective' = 'effective'): number {
  return Object.values(PROVIDERS).reduce((sum, { name, currency }) => sum + Number(answers[`${path}/${name}`]?.[basis] ?? 0) * Number(RATES[month]![currency] ?? 1), 0)
}
