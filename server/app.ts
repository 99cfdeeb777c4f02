import { Ajv } from 'ajv'
import fastifyCompress from '@fastify/compress'
import fastifyCookie from '@fastify/cookie'
import fastifyCsrf from '@fastify/csrf-protection'
import fastifyHelmet from '@fastify/helmet'
import fastifyMultipart from '@fastify/multipart'
import fastifyRateLimit from '@fastify/rate-limit'
import fastifySession from '@fastify/session'
import fastifyStatic from '@fastify/static'
import type { TypeBoxTypeProvider } from '@fastify/type-provider-typebox'
import Fastify, { type FastifyBaseLogger, type FastifyError, type FastifyInstance, type RawReplyDefaultExpression, type RawRequestDefaultExpression, type RawServerDefault } from 'fastify'
import { existsSync } from 'node:fs'
import { join } from 'node:path'
import type { Database } from './db/database.ts'
import { allocationRoutes } from './features/allocation/routes.ts'
import { chargeRoutes } from './features/charges/routes.ts'
import { deskRoutes } from './features/desk/routes.ts'
import { LoadJobs } from './features/intake/jobs.ts'
import { feedRoutes } from './features/feeds/routes.ts'
import { FeedSchedule } from './features/feeds/schedule.ts'
import { driverRoutes } from './features/drivers/routes.ts'
import { intakeRoutes } from './features/intake/routes.ts'
import { kubernetesRoutes } from './features/kubernetes/routes.ts'
import { networkRoutes } from './features/network/routes.ts'
import { organisationRoutes } from './features/organisation/routes.ts'
import { periodRoutes } from './features/periods/routes.ts'
import { rateRoutes } from './features/rates/routes.ts'
import { rulebookFigureRoutes } from './features/rulebook/figureRoutes.ts'
import { rulebookFileRoutes } from './features/rulebook/fileRoutes.ts'
import { rulebookRoutes } from './features/rulebook/routes.ts'
import { sessionRoutes } from './features/session/routes.ts'
import { SessionTable } from './features/session/store.ts'
import { statementRoutes } from './features/statements/routes.ts'
import { workingsRoutes } from './features/workings/routes.ts'
import { projectRoot } from './paths.ts'
import { invalid, Refusal } from './refusal.ts'
import type { Settings } from './settings.ts'
import { isCurrency, viewCurrency } from './viewCurrency.ts'
import type { Ledger } from './workers/pools.ts'

export type App = FastifyInstance<RawServerDefault, RawRequestDefaultExpression, RawReplyDefaultExpression, FastifyBaseLogger, TypeBoxTypeProvider>

declare module 'fastify' {
  interface FastifyInstance { database: Database; settings: Settings; ledger: Ledger; jobs: LoadJobs; feeds: FeedSchedule; readLoad(loadId: number): Promise<void> }
}

export interface AppParts {
  database: Database
  settings: Settings
  workers: { ledger: Ledger; readLoad(loadId: number): Promise<void> }
  sessionSecret: string
  logLevel?: string
  /** simulated outside services that the demo brings */
  standIns?: ((app: App) => void)[]
}

const LARGEST_FILE = 64 * 2 ** 30
const FEATURES = [sessionRoutes, periodRoutes, intakeRoutes, rateRoutes, driverRoutes, feedRoutes, kubernetesRoutes, networkRoutes, organisationRoutes, rulebookRoutes, rulebookFigureRoutes, rulebookFileRoutes, allocationRoutes, statementRoutes, chargeRoutes, workingsRoutes, deskRoutes]

/** Builds the server without listening: what tests inject into. */
export async function buildApp({ database, settings, workers, sessionSecret, logLevel = 'warn', standIns = [] }: AppParts): Promise<App> {
  const app: App = Fastify({ logger: { level: logLevel }, bodyLimit: 6 << 20 }).withTypeProvider<TypeBoxTypeProvider>()
  // an address is all text; a body says itself what is a number and what is nothing
  const [ofBody, ofAddress] = [new Ajv({ useDefaults: true }), new Ajv({ useDefaults: true, coerceTypes: true })]
  app.setValidatorCompiler(({ schema, httpPart }) => (httpPart === 'body' ? ofBody : ofAddress).compile(schema))
  app.decorate('database', database)
  app.decorate('settings', settings)
  app.decorate('ledger', workers.ledger)
  app.decorate('jobs', new LoadJobs(database, workers.readLoad, app.log))
  app.decorate('readLoad', workers.readLoad)
  app.decorate('feeds', new FeedSchedule({ database, spoolFolder: settings.spoolFolder, readLoad: workers.readLoad }, app.log))
  await app.register(fastifyHelmet, { contentSecurityPolicy: { directives: { defaultSrc: ["'self'"], scriptSrc: ["'self'"], styleSrc: ["'self'", "'unsafe-inline'"], imgSrc: ["'self'", 'data:'], fontSrc: ["'self'"], connectSrc: ["'self'"], workerSrc: ["'self'"], objectSrc: ["'none'"], frameAncestors: ["'none'"], upgradeInsecureRequests: null } }, strictTransportSecurity: false })
  await app.register(fastifyCompress, { threshold: 2_048 })
  await app.register(fastifyCookie)
  // of no concern to files of the page: an answer to one, asked for before a sign-in and late, would clear the cookie of the new session
  await app.register(fastifySession, { secret: sessionSecret, cookieName: 'abacus', store: new SessionTable(database), saveUninitialized: false, rolling: false, cookie: { httpOnly: true, sameSite: 'strict', secure: false, path: '/api', maxAge: 12 * 3_600_000 } })
  await app.register(fastifyCsrf, { sessionPlugin: '@fastify/session' })
  await app.register(fastifyRateLimit, { global: false })
  await app.register(fastifyMultipart, { limits: { files: 1, fileSize: LARGEST_FILE, fields: 5 } })
  // in which currency the one who asks reads: the page sends it with each question, links to files carry it
  app.addHook('onRequest', (request, _reply, done) => {
    const asked = request.url.startsWith('/api/') ? (request.headers['abacus-currency'] ?? (request.query as { currency?: string }).currency) || undefined : undefined
    if (asked !== undefined && !isCurrency(asked)) done(invalid(`${String(asked)} is no currency code: three capital letters are.`))
    else viewCurrency.run(asked, done)
  })
  guard(app)
  app.setErrorHandler(tellError)
  await app.register(async (scope) => { for (const feature of FEATURES) feature(scope as App) })
  for (const standIn of standIns) standIn(app)
  servePage(app)
  return app
}

/** Every route under /api needs a session, the right role, and for changes the token against forged requests. */
function guard(app: App): void {
  app.addHook('onRequest', async (request, reply) => {
    if (!request.url.startsWith('/api/')) return
    // what one person sees is no other's, and what was true a moment ago may not be now
    reply.header('cache-control', 'no-store')
    const { open = false, roles } = request.routeOptions.config
    const { viewer } = request.session
    if (!open && !viewer) throw new Refusal(401, 'NOT_SIGNED_IN', 'Your session has ended. Sign in again; nothing you saved is lost.')
    if (roles && viewer && !roles.includes(viewer.role)) throw new Refusal(403, 'NOT_ALLOWED', `This is for the ${roles.join(' or ')}; you are signed in as ${viewer.role}.`)
    if (request.method === 'GET' || request.method === 'HEAD') return
    await new Promise<void>((done, fail) => { app.csrfProtection(request, reply, (error?: unknown) => (error ? fail(error as Error) : done())) })
  })
}

const LOST_DATABASE = new Set(['ECONNREFUSED', 'PROTOCOL_CONNECTION_LOST', 'ECONNRESET', 'ER_SERVER_SHUTDOWN'])

/** Errors are told in words; what is not a refusal is logged and told without details. */
function tellError(this: FastifyInstance, error: FastifyError | Refusal, request: Parameters<Parameters<FastifyInstance['setErrorHandler']>[0]>[1], reply: Parameters<Parameters<FastifyInstance['setErrorHandler']>[0]>[2]): void {
  if (error instanceof Refusal) return void reply.code(error.status).send({ code: error.code, message: error.message, ...error.details })
  if ('validation' in error && error.validation) return void reply.code(400).send({ code: 'BAD_REQUEST', message: `The request is not right: ${error.message}.` })
  // the page has asked for something newer and left: nobody waits for this answer
  if (error.code === 'ERR_STREAM_PREMATURE_CLOSE') return void request.log.debug({ err: error }, 'the client has left')
  if (LOST_DATABASE.has(error.code)) request.log.warn({ err: error }, 'the database does not answer')
  if (LOST_DATABASE.has(error.code)) return void reply.code(503).send({ code: 'DATABASE_AWAY', message: 'The database does not answer. Nothing was changed; try again in a moment.' })
  const status = error.statusCode ?? 500
  if (status === 429) return void reply.code(429).send({ code: 'TOO_MANY_TRIES', message: 'Too many tries. Wait a minute, then try again.' })
  if (status < 500) return void reply.code(status).send({ code: error.code, message: error.message })
  request.log.error(error)
  reply.code(500).send({ code: 'ERROR', message: 'Something went wrong in the program; nothing was changed. Try again, and tell your administrator if it stays.' })
}

/** The built page; every address that is no file and no API is the page's own. */
function servePage(app: App): void {
  const root = join(projectRoot(), 'dist', 'web')
  if (!existsSync(root)) return
  void app.register(fastifyStatic, { root, wildcard: false, maxAge: '1y', immutable: true, index: false })
  app.get('/', (_request, reply) => reply.header('cache-control', 'no-cache').sendFile('index.html', { maxAge: 0, immutable: false }))
  app.setNotFoundHandler((request, reply) => {
    if (request.url.startsWith('/api/') || request.url.startsWith('/assets/')) return reply.code(404).send({ code: 'NOT_FOUND', message: 'There is nothing at this address.' })
    return reply.header('cache-control', 'no-cache').sendFile('index.html', { maxAge: 0, immutable: false })
  })
}
