import { afterAll, beforeAll, describe, expect, test } from '@jest/globals'
import { demoRulebook } from '../../../demo/rulebook.ts'
import { demoBill } from '../../../tests/support/bills.ts'
import { openServer, type Client, type TestServer } from '../../../tests/support/server.ts'

let server: TestServer
let owner: Client
const place = 'month=2026-10&basis=effective'
beforeAll(async () => {
  server = await openServer()
  await server.accountant.load('loomlog.csv', demoBill('loomlog', '2026-10'))
  await server.accountant.ask('PUT', '/api/rulebook/draft', { revision: 0, rulebook: demoRulebook() })
  await server.accountant.ask('POST', '/api/rulebook/publish', { revision: 1, note: 'first' })
  await server.accountant.ask('POST', '/api/allocation/2026-10')
  owner = await server.client().signIn('okoro')
})
afterAll(() => server.close())

describe('who may do what', () => {
  test('every route but the sign-in wants a session', async () => {
    // the tree of routes: the depth of a line tells what it continues
    const stack: string[] = []
    const asked = server.app.printRoutes({ commonPrefix: false }).split('\n').flatMap((line) => {
      const [, indent = '', part = '', methods = ''] = /^([│ ]*)[├└]── (\S+)(?: \(([^)]+)\))?/.exec(line) ?? []
      stack.splice(indent.length / 4, Infinity, part)
      return methods.split(', ').filter((method) => method && method !== 'HEAD').map((method) => ({ path: stack.join(''), method }))
    }).filter(({ path }) => path.startsWith('/api/'))
    expect(asked.length).toBeGreaterThan(30)
    for (const { path, method } of asked) {
      if (path === '/api/session' && method !== 'DELETE') continue
      const reply = await server.app.inject({ method: method as 'GET', url: path.replace(/:\w+/g, '1') })
      expect([method, path, reply.statusCode]).toEqual([method, path, 401])
    }
  })
  test('a file of the page that was asked for before the sign-in and comes after it does not take the session away', async () => {
    const { app } = server
    const opened = await app.inject({ url: '/api/session' })
    const cookie = opened.cookies.map(({ name, value }) => `${name}=${value}`).join('; ')
    const entered = await app.inject({ method: 'POST', url: '/api/session', payload: { login: 'aldous', password: 'aldous-larkmoor' }, headers: { cookie, 'csrf-token': (opened.json() as { csrf: string }).csrf } })
    expect(entered.statusCode).toBe(200)
    for (const url of ['/', '/sign-in', '/assets/none.js', '/favicon.ico']) expect([url, (await app.inject({ url, headers: { cookie } })).cookies]).toEqual([url, []])
    // nor does the browser send it there
    expect(entered.cookies.map(({ path }) => path)).toEqual(['/api'])
  })
  test('a change without the token against forged requests is refused', async () => {
    const client = await server.client().signIn('aldous')
    client.forgetToken()
    expect((await client.ask('POST', '/api/allocation/2026-10')).status).toBe(403)
  })
  test('a wrong password and an unknown name get the same answer', async () => {
    const wrong = await server.client().signIn('nobody').then(() => null, () => null)
    expect(wrong).not.toBeUndefined()
    const replies = await Promise.all(['aldous', 'nobody'].map(async (login) => {
      const client = server.client()
      const { csrf } = await client.get<{ csrf: string }>('/api/session')
      return client.ask<{ message: string }>('POST', '/api/session', { login, password: 'wrong' }, { 'csrf-token': csrf })
    }))
    expect(replies.map(({ status, body }) => [status, body.message])).toEqual(Array(2).fill([401, 'The name or the password is not right.']))
  })
  test('the cookie is for this site and not for scripts; scripts come from here only', async () => {
    const reply = await server.app.inject({ url: '/api/session' })
    expect(reply.headers['set-cookie']).toMatch(/HttpOnly; SameSite=Strict/)
    expect(reply.headers['content-security-policy']).toContain("script-src 'self'")
    expect(reply.headers['cache-control']).toBe('no-store')
  })
  test('an owner sees the own cost centre', async () => {
    const { centres } = await owner.get<{ centres: { code: string; total: string }[] }>(`/api/statements?${place}`)
    expect(centres.map(({ code }) => code)).toEqual(['2010'])
    expect((await owner.ask('GET', `/api/statement?scope=cc:2010&${place}`)).status).toBe(200)
    const balance = await owner.get<{ isScoped: boolean; charged: string; billed: string }>(`/api/balance?${place}`)
    expect(balance).toMatchObject({ isScoped: true, charged: centres[0]!.total, billed: centres[0]!.total })
  })
  test.each([
    `/api/statement?scope=cc:4020&${place}`, `/api/statement?scope=unit:20&${place}`, `/api/statement.pdf?scope=cc:4020&${place}`, `/api/allocation?${place}`, '/api/loads', '/api/rulebook', '/api/organisation.csv', '/api/rates', '/api/intake/calendar/2026-10',
    `/api/workings?figure=${encodeURIComponent('statement~2026-10~effective~cc:4020')}`, `/api/workings?figure=${encodeURIComponent('line~2026-10~effective~cc:4020~direct~Loomlog~Log Keeping')}`,
    `/api/workings?figure=${encodeURIComponent('keys~2026-10~effective~kind=pool~target=LOGS')}`, `/api/workings?figure=${encodeURIComponent('keys~2026-10~effective')}`, `/api/desk/top?${place}&by=ServiceName`, `/api/desk/movements?${place}`,
  ])('an owner does not get %s', async (url) => {
    expect((await owner.ask('GET', url)).status).toBe(403)
  })
  test('an owner does not get the charge lines of others', async () => {
    const lines = (figure: string): Promise<number> => owner.ask('POST', '/api/charges/lines', { figure, path: [] }).then(({ status }) => status)
    expect(await Promise.all(['keys~2026-10~effective~kind=direct~target=2010', 'keys~2026-10~effective~kind=direct~target=4020', 'keys~2026-10~effective~target=2010', 'keys~2026-10~effective'].map(lines))).toEqual([200, 403, 403, 403])
  })
  test('a controller reads and closes but does not change rules', async () => {
    const controller = await server.client().signIn('brandt')
    expect((await controller.ask('GET', '/api/rulebook')).status).toBe(200)
    expect((await controller.ask('PUT', '/api/rulebook/draft', { revision: 1, rulebook: demoRulebook() })).status).toBe(403)
    expect((await owner.ask('PUT', '/api/periods/2026-10', { state: 'closed', reason: '' })).status).toBe(403)
  })
  test('errors tell no inner workings', async () => {
    const reply = await server.accountant.ask<{ message: string }>('GET', '/api/statement?scope=cc:1010&month=2026-99&basis=effective')
    expect([reply.status, JSON.stringify(reply.body)]).toEqual([400, expect.not.stringContaining('at ')])
  })
  test('after too many tries a minute the door stays shut', async () => {
    const client = server.client()
    const { csrf } = await client.get<{ csrf: string }>('/api/session')
    const statuses: number[] = []
    for (let tries = 0; tries < 60; tries++) {
      statuses.push((await client.ask('POST', '/api/session', { login: '', password: 'x' }, { 'csrf-token': csrf })).status)
      if (statuses.at(-1) === 429) break
    }
    expect(statuses.at(-1)).toBe(429)
  })
})
