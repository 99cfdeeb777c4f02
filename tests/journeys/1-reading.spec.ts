import AxeBuilder from '@axe-core/playwright'
import { expect, test } from '@playwright/test'
import { readFile } from 'node:fs/promises'
import { answers, balance, inEuro, numberOf, signIn } from './support.ts'

test('the desk shows the figures that the generator knows', async ({ page }) => {
  await signIn(page)
  const months = ['2026-10', '2026-11']
  for (const [index, name] of ['Last month', 'Month to date'].entries()) {
    expect(numberOf(await page.locator(`[data-desk-figure="${name}"]`).innerText())).toBeCloseTo(inEuro(`bills/${months[index]}`, months[index]!), 1)
  }
  await expect(page.getByText('has no payer yet')).toBeVisible()
  await expect(page.locator('tr', { hasText: 'Nimbrel · Text Search' })).toContainText('+650.48')
  await expect(page.getByText('✓ balances to the last digit')).toBeVisible()
})

test('a statement figure opens down to a charge line, and the address holds it', async ({ page }) => {
  await signIn(page)
  await page.goto('/statements?month=2026-10')
  await page.getByRole('link', { name: '2010 Phone App' }).click()
  const line = page.locator('tr', { hasText: 'Nimbrel · Machines' })
  await line.locator('.figure').first().click()
  const truth = answers['services/2026-10/2010/Nimbrel/Machines']!
  const margin = page.getByLabel('Workings', { exact: true })
  await expect(margin).toContainText(`${truth.lines.toLocaleString('en-GB').replace(',', '')} charge lines of Nimbrel`)
  expect(numberOf(await margin.locator('li').first().locator('.font-semibold').innerText())).toBeCloseTo(Number(truth.effective), 4)
  await expect(margin).toContainText('rule 14 “Phone App by team tag”, rulebook')
  await page.reload()
  await expect(margin).toContainText('rounded with the month')
  await margin.getByRole('button', { name: /charge lines of Nimbrel/ }).click()
  await expect(margin).toContainText('31 charge lines')
  await margin.getByRole('link', { name: 'Open the charge lines' }).click()
  await expect(page.getByRole('heading', { name: 'Charge lines' })).toBeVisible()
  await expect(page.locator('tfoot')).toContainText(truth.lines.toLocaleString('en-GB'))
  for (let depth = 0; depth < 5; depth++) await page.locator('tbody tr').first().getByRole('button').click()
  await page.locator('button.line').first().click()
  await expect(page.getByText(/of nimbrel-2026-10\.csv/)).toBeVisible()
  await expect(page.getByText('Taken by the rule “Phone App by team tag”')).toBeVisible()
})

test('a share of a pool shows amount, base and share', async ({ page }) => {
  await signIn(page)
  await page.goto('/statements/cc:1020?month=2026-10')
  await expect(page.locator('tr', { hasText: 'Radar mosaic database' })).toContainText('30.00 % of')
  await page.locator('tr', { hasText: 'Radar mosaic database' }).locator('.figure').first().click()
  await page.getByRole('button', { name: /share of what Nimbrel billed/ }).click()
  const amounts = page.getByLabel('Workings', { exact: true }).locator('li .font-semibold')
  await expect(amounts.nth(1)).toHaveText('30')
  const [pool, , , share] = (await amounts.allInnerTexts()).map(numberOf)
  expect(pool).toBeCloseTo(Number(answers['targets/2026-10/MOSAIC/Nimbrel']!.effective), 6)
  expect(share).toBeCloseTo(pool! * 0.3, 6)
})

test('the statement is taken away as PDF and CSV', async ({ page }) => {
  await signIn(page)
  await page.goto('/statements/cc:1010?month=2026-10')
  const [pdf] = await Promise.all([page.waitForEvent('download'), page.getByRole('link', { name: 'PDF' }).click()])
  expect(pdf.suggestedFilename()).toBe('statement-1010-2026-10-effective.pdf')
  expect((await readFile(await pdf.path())).subarray(0, 5).toString()).toBe('%PDF-')
  const total = await page.locator('tfoot .figure').first().innerText()
  const [csv] = await Promise.all([page.waitForEvent('download'), page.getByRole('link', { name: 'CSV' }).click()])
  const last = (await readFile(await csv.path(), 'utf8')).trim().split('\n').find((line) => line.includes(',Total,'))!
  expect(last).toContain(total.replaceAll(',', ''))
})

test('the way of the money opens by its blocks; billed and effective cost differ by the commitment', async ({ page }) => {
  await signIn(page)
  await page.goto('/allocation?month=2026-08')
  await page.getByRole('button', { name: /^Taxes and levies/ }).click()
  await expect(page.getByLabel('Workings', { exact: true })).toContainText('the whole pool')
  const effective = await balance(page, 'Effective cost')
  await page.getByRole('button', { name: 'effective cost' }).click()
  await expect(page.locator('[data-balance="Billed"]')).toBeVisible()
  const billed = await balance(page, 'Billed')
  expect(billed - effective).toBeCloseTo(inEuro('bills/2026-08', '2026-08', 'billed') - inEuro('bills/2026-08', '2026-08'), 1)
  // 21 900 bought, 31 days of 60 used, at 0.8634
  expect(billed - effective).toBeCloseTo((21_900 - 31 * 60) * 0.8634, 1)
})

test('the calendar shows the day that is missing', async ({ page }) => {
  await signIn(page)
  await page.goto('/intake?tab=calendar&month=2026-03')
  await expect(page.locator('[data-state="missing"]')).toHaveCount(1)
  await expect(page.locator('[data-day="Orvane 2026-03-17"]')).toHaveAttribute('data-state', 'missing')
})

test('coverage that falls shows on Intake and on the Desk', async ({ page }) => {
  await signIn(page)
  await page.goto('/intake?tab=tags&month=2026-11')
  await expect(page.locator('[data-coverage="team Nimbrel 2026-10"]')).toContainText('▾')
  await expect(page.locator('[data-coverage="team Nimbrel 2026-09"]')).not.toContainText('▾')
  await page.goto('/desk?month=2026-10')
  await expect(page.getByText(/The tag team is on \d\d\.\d % of what Nimbrel billed for resources/)).toBeVisible()
})

test('an owner sees the own cost centre and nothing else', async ({ page }) => {
  await signIn(page, 'okoro')
  await expect(page.getByRole('navigation', { name: 'Chapters' })).not.toContainText('Rulebook')
  await page.goto('/statements?month=2026-10')
  await expect(page.locator('tbody a', { hasText: '2010 Phone App' })).toBeVisible()
  await expect(page.locator('tbody')).toHaveCount(1)
  await page.goto('/statements/cc:1010?month=2026-10')
  await expect(page.getByRole('alert')).toContainText('not among those you may see')
  await page.goto('/rulebook')
  await expect(page).toHaveURL(/\/desk/)
  await expect(page.locator('[data-balance="Charged to you"]')).toBeVisible()
})

test('keys move between months, chapters and figures', async ({ page }) => {
  await signIn(page)
  await page.keyboard.press('[')
  await expect(page).toHaveURL(/month=2026-10/)
  await page.keyboard.press('g')
  await page.keyboard.press('s')
  await expect(page).toHaveURL(/\/statements\?month=2026-10/)
  await expect(page.locator('[data-charged-to-all]')).toBeVisible()
  await page.keyboard.press('w')
  await expect(page.getByLabel('Workings', { exact: true })).toBeVisible()
  await page.keyboard.press('Escape')
  await expect(page.getByLabel('Workings', { exact: true })).toBeHidden()
  await page.keyboard.press('?')
  await expect(page.getByRole('heading', { name: 'Keys' })).toBeVisible()
  await page.keyboard.press('Escape')
  await expect(page.getByRole('heading', { name: 'Keys' })).toBeHidden()
  await expect(page).toHaveURL(/\/statements\?month=2026-10$/)
  await page.keyboard.press('/')
  await page.keyboard.type('flood warn')
  await expect(page.getByRole('option', { name: '4020 Flood Warnings' })).toBeVisible()
  await page.keyboard.press('Enter')
  await expect(page).toHaveURL(/\/statements\/cc:4020/)
})

const PAGES = [
  '/desk', '/intake', '/intake?tab=calendar', '/intake?tab=feeds', '/intake?tab=tags', '/intake?tab=drivers', '/intake?tab=rates',
  '/rulebook', '/rulebook?tab=unassigned&month=2026-10', '/rulebook?tab=clean&month=2026-10', '/rulebook?tab=values&month=2026-10', '/rulebook?tab=values&month=2026-10&class=product&across=cost-centre',
  '/rulebook?tab=test&month=2026-10', '/rulebook?tab=clusters&month=2026-10', '/rulebook?tab=special&month=2026-10', '/rulebook?tab=pools&month=2026-10', '/rulebook?tab=markups&month=2026-10', '/rulebook?tab=organisation', '/rulebook?tab=versions',
  '/allocation?month=2026-10', '/allocation?tab=clusters&month=2026-10', '/allocation?tab=network&month=2026-10',
  '/statements?month=2026-10', '/statements/cc:1010?month=2026-10&figure=statement~2026-10~effective~cc:1010', '/charges?of=keys~2026-10~effective~kind%3Ddirect~target%3D1010&month=2026-10',
]

for (const theme of ['light', 'dark'] as const) {
  test(`pages read well by screen reader and in contrast, ${theme}`, async ({ page }) => {
    test.setTimeout(240_000)
    await page.emulateMedia({ colorScheme: theme })
    await signIn(page)
    for (const path of PAGES) {
      await page.goto(path)
      await page.waitForLoadState('networkidle')
      const axe = new AxeBuilder({ page })
      // the theme changes colours alone
      const { violations } = await (theme === 'light' ? axe.withTags(['wcag2a', 'wcag2aa', 'wcag21aa', 'wcag22aa']) : axe.withRules(['color-contrast'])).analyze()
      expect(violations.map(({ id, nodes }) => `${path} ${id}: ${nodes.slice(0, 2).map(({ html }) => html.slice(0, 120)).join(' | ')}`)).toEqual([])
    }
  })
}
