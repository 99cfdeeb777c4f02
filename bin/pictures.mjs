#!/usr/bin/env node
// npm run pictures: takes the pictures of docs/screenshots from a program that runs with the fresh demo.
import { chromium } from 'playwright-core'
import { join } from 'node:path'
import { ROOT } from './lib/project.mjs'

const url = process.env.ABACUS_URL ?? 'http://127.0.0.1:7180'
const month = 'month=2026-10'
const rulebook = (tab, more = '') => `/rulebook?tab=${tab}&${month}${more}`

/** Each picture: where, and what is done there first. Those that change the draft come last; the one of a restatement (intake.png) is taken by hand. */
const PICTURES = {
  desk: ['/desk'],
  calendar: ['/intake?tab=calendar&month=2026-03'],
  rulebook: [`/rulebook?${month}`],
  values: [rulebook('values', '&class=product&across=cost-centre')],
  pools: [rulebook('pools'), (page) => page.locator('[data-pool-method]').scrollIntoViewIfNeeded(), (page) => page.locator('#page').evaluate((of) => { of.scrollTop = of.scrollHeight })],
  special: [rulebook('special')],
  unassigned: [rulebook('unassigned')],
  test: [rulebook('test'), (page) => page.locator('[data-charge-text]').fill('dunlin-node-1'), (page) => page.locator('[data-found-charge]').first().click(), (page) => page.locator('[data-charge-part] button').nth(1).click()],
  clusters: [`/allocation?tab=clusters&${month}`],
  network: [`/allocation?tab=network&${month}`],
  allocation: [`/allocation?${month}`],
  statements: [`/statements?${month}`],
  statement: [`/statements/cc:2030?${month}&figure=${encodeURIComponent('line~2026-10~effective~cc:2030~direct~Orvane~Machines')}`],
  charges: [`/charges?of=${encodeURIComponent('keys~2026-10~effective~kind=direct~target=1010')}&${month}&path=${encodeURIComponent('[{"field":"ProviderName","value":"Nimbrel"}]')}&by=ServiceName`],
  dark: [`/statements/cc:4020?${month}&figure=${encodeURIComponent('statement~2026-10~effective~cc:4020')}`, (page) => page.emulateMedia({ colorScheme: 'dark' }), (page) => page.reload()],
  clean: [rulebook('clean'), (page) => page.getByRole('button', { name: 'Accept' }).first().click(), (page) => page.waitForTimeout(6_500)],
  effect: [rulebook('clean'), (page) => page.getByRole('button', { name: 'See the effect and publish' }).click(), (page) => page.getByRole('dialog').locator('tbody button').first().click()],
}

const only = process.argv.slice(2)
const browser = await chromium.launch({ executablePath: '/usr/bin/chromium', args: ['--no-sandbox'] })
const page = await browser.newPage({ viewport: { width: 1280, height: 800 }, colorScheme: 'light' })
await page.goto(`${url}/sign-in`)
await page.getByLabel('Name').fill('aldous')
await page.getByLabel('Password').fill('aldous-larkmoor')
await page.getByRole('button', { name: 'Sign in' }).click()
await page.waitForURL(/desk/)
for (const [name, [place, ...steps]] of Object.entries(PICTURES)) {
  if (only.length > 0 && !only.includes(name)) continue
  await page.emulateMedia({ colorScheme: 'light' })
  await page.goto(url + place)
  await page.waitForLoadState('networkidle')
  for (const step of steps) {
    await step(page)
    await page.waitForLoadState('networkidle')
  }
  await page.waitForTimeout(700)
  await page.screenshot({ path: join(ROOT, 'docs/screenshots', `${name}.png`) })
  console.log(name)
}
await browser.close()
