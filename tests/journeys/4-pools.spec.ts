import { expect, test, type Page } from '@playwright/test'
import { changeCell, demoBill, firstLines } from '../support/bills.ts'
import { numberOf, signIn } from './support.ts'

// The worked example of two support departments in cost-accounting text books (from memory: Horngren, Datar, Foster, Cost Accounting,
// chapter 15, Castleford Engineering; figures in tests/reference/support.json): Plant Maintenance 6 300 000 and Information Systems
// 1 452 150 serve each other, Machining and Assembly.
test.describe.configure({ mode: 'serial' })
const MONTH = '2026-11'
const HOURS: Record<string, Record<string, string>> = { 'PM-HOURS': { 'Pool Information Systems': '1600', 'MACH Machining': '2400', 'ASSY Assembly': '4000' }, 'IS-HOURS': { 'Pool Plant Maintenance': '200', 'MACH Machining': '1600', 'ASSY Assembly': '200' } }

function worksBill(): string {
  // without tags, so that no rule of the demo takes the lines
  let bill = firstLines(demoBill('quarry', MONTH), 2).replace(/"\{[^\n]*\}"$/gm, '')
  for (const [line, sub, cost] of [[2, 'plant', '6300000'], [3, 'info', '1452150']] as const) {
    for (const [column, value] of Object.entries({ ProviderName: 'Works Hall', BillingAccountId: 'wh-1', SubAccountId: sub, SubAccountName: sub, ResourceId: `wh-${sub}`, ResourceName: sub, BilledCost: cost, EffectiveCost: cost, ListCost: cost, ContractedCost: cost })) bill = changeCell(bill, line, column, value)
  }
  return bill
}

async function addCentre(page: Page, code: string, name: string): Promise<void> {
  await page.getByRole('button', { name: 'Add a cost centre' }).click()
  await page.getByLabel('Code').fill(code)
  await page.getByLabel('Name').fill(name)
  await page.getByRole('button', { name: 'Keep it' }).click()
  await expect(page.getByRole('button', { name: `${code} ${name}` })).toBeVisible()
}

async function addPool(page: Page, code: string, name: string, driver: string): Promise<void> {
  await page.getByRole('button', { name: 'Add a pool' }).click()
  await page.getByLabel('Code').fill(code)
  await page.getByLabel('Name').fill(name)
  await page.locator('[data-pool-base]').selectOption('driver')
  await page.locator('[data-pool-driver]').selectOption(driver)
  await page.getByRole('button', { name: 'Keep the pool' }).click()
  await expect(page.locator(`[data-pool="${code}"]`)).toBeVisible()
}

test('the two departments are entered: their bill, drivers, pools and rules', async ({ page }) => {
  test.setTimeout(120_000)
  await signIn(page)
  await page.goto(`/intake?month=${MONTH}`)
  await page.locator('#pick-file').setInputFiles({ name: 'works-hall.csv', mimeType: 'text/csv', buffer: Buffer.from(worksBill()) })
  await expect(page.locator('[data-load-card]')).toContainText('taken')
  await page.getByRole('button', { name: 'Shut' }).click()
  await page.goto('/rulebook?tab=organisation')
  await addCentre(page, 'MACH', 'Machining')
  await addCentre(page, 'ASSY', 'Assembly')
  await page.goto(`/intake?tab=drivers&month=${MONTH}`)
  for (const [code, name] of [['PM-HOURS', 'Maintenance hours'], ['IS-HOURS', 'Computer hours']] as const) {
    await page.getByLabel('Code').fill(code)
    await page.getByLabel('Name').fill(name)
    await page.getByLabel('Unit').fill('hours')
    await page.getByRole('button', { name: 'Add it' }).click()
    await expect(page.getByRole('button', { name })).toBeVisible()
  }
  await page.goto(`/rulebook?tab=pools&month=${MONTH}`)
  await addPool(page, 'PM', 'Plant Maintenance', 'PM-HOURS')
  await addPool(page, 'IS', 'Information Systems', 'IS-HOURS')
  for (const [sub, pool, name] of [['plant', 'PM', 'Plant'], ['info', 'IS', 'Info']] as const) {
    await page.goto(`/rulebook?tab=rules&month=${MONTH}&rule=new`)
    await page.locator('[data-rule-field="name"]').fill(name)
    await page.getByLabel('Attribute').first().selectOption('SubAccountId')
    await page.getByLabel('Value', { exact: true }).fill(sub)
    await page.getByLabel('Value', { exact: true }).press('Enter')
    await page.locator('[data-rule-field="target"]').selectOption(`pool:${pool}`)
    await page.getByRole('button', { name: 'Keep the rule' }).click()
    await expect(page.locator(`[data-rule-name="${name}"]`)).toBeVisible()
  }
  await page.goto(`/intake?tab=drivers&month=${MONTH}`)
  for (const [code, values] of Object.entries(HOURS)) {
    await page.goto(`/intake?tab=drivers&month=${MONTH}&driver=${code}`)
    for (const [target, hours] of Object.entries(values)) await page.getByLabel(`Quantity of ${target}`).fill(hours)
    await page.getByRole('button', { name: 'Keep the quantities' }).click()
    await expect(page.getByText('are kept. Months shared')).toBeVisible()
  }
})

test('the three methods stand side by side with the figures of the book, and who serves whom is drawn', async ({ page }) => {
  await signIn(page)
  await page.goto(`/rulebook?tab=pools&month=${MONTH}`)
  await expect(page.locator('[data-pool-drawing]')).toContainText('20.0 %')
  const row = page.locator('[data-method-centre="MACH"] td.num')
  await expect(row.nth(0)).toContainText('.')
  const [direct, stepDown, reciprocal] = (await row.allInnerTexts()).map(numberOf)
  // the demo's own pools give the same under each method, so the differences are the book's alone
  expect(stepDown! - direct!).toBeCloseTo(8_300_800 - 7_653_300, 1)
  expect(reciprocal! - direct!).toBeCloseTo(8_187_025 - 7_653_300, 1)
  // the other order of step-down: Information Systems first, as the book shows beside it
  await page.getByRole('button', { name: /^Move pool \d+, Information Systems/ }).focus()
  await page.keyboard.press('ArrowUp')
  await expect.poll(async () => numberOf(await row.nth(1).innerText()) - direct!).toBeCloseTo(7_578_675.625 - 7_653_300, 1)
})

test('published under the reciprocal method and run, the statement has the book’s shares, and its workings the equations', async ({ page }) => {
  await signIn(page)
  await page.goto(`/rulebook?tab=pools&month=${MONTH}`)
  await page.locator('[data-pool-method]').selectOption('reciprocal')
  await page.getByRole('button', { name: 'See the effect and publish' }).click()
  await page.getByLabel('Why').fill('Two departments that serve each other')
  await page.getByRole('button', { name: 'Publish' }).click()
  await expect(page.getByText(/version \d+ is published/)).toBeVisible()
  await page.goto(`/allocation?month=${MONTH}`)
  await page.getByRole('button', { name: 'Run again' }).click()
  await expect(page.getByText('✓ balances to the last digit')).toBeVisible()
  await page.goto(`/statements/cc:MACH?month=${MONTH}&figure=${encodeURIComponent(`share~${MONTH}~effective~MACH~PM~Works Hall~EUR`)}`)
  const margin = page.getByLabel('Workings', { exact: true })
  await expect(margin).toContainText('1,973,025.00')
  await expect(margin).toContainText('from Information Systems')
  await expect(margin).toContainText('276,750.00')
  await expect(margin).toContainText('6,576,750.00')
  await page.goto(`/statements/cc:MACH?month=${MONTH}&figure=${encodeURIComponent(`pool~${MONTH}~effective~IS`)}`)
  await expect(margin).toContainText('x(PM) = 6300000.00 + 1/10 · x(IS)')
  await expect(margin).toContainText('x(IS) = 2767500')
})
