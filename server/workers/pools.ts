import Piscina from 'piscina'
import { workerFile } from '../paths.ts'
import { Refusal } from '../refusal.ts'
import { viewCurrency } from '../viewCurrency.ts'
import type { LedgerTasks, TaskReply } from './ledgerWorker.ts'

export type Ledger = { [Name in keyof LedgerTasks]: (input: LedgerTasks[Name]['in']) => Promise<LedgerTasks[Name]['out']> }

const TASKS = ['run', 'replay', 'figures', 'unassigned', 'health', 'effect', 'methods', 'values', 'fields', 'classValues', 'matrix', 'clusters', 'clusterWorkings', 'special', 'clean', 'coverage', 'resources', 'findCharges', 'testCharge', 'group', 'keys', 'counted'] as const satisfies (keyof LedgerTasks)[]

/** One worker that keeps the ledger of the months in hand, and one or two that read files. */
export function openWorkers(url: string, readers = 2): { ledger: Ledger; readLoad(loadId: number): Promise<void>; close(): Promise<void> } {
  const ledgerPool = new Piscina({ filename: workerFile('ledgerWorker'), minThreads: 1, maxThreads: 1, idleTimeout: Infinity })
  const readerPool = new Piscina({ filename: workerFile('intakeWorker'), minThreads: 0, maxThreads: readers, idleTimeout: 10_000 })
  const call = (task: keyof LedgerTasks) => async (input: unknown): Promise<unknown> => {
    const reply = (await ledgerPool.run({ url, task, input, currency: viewCurrency.getStore() })) as TaskReply
    if ('value' in reply) return reply.value
    const { status, code, message, details } = reply.refusal
    throw new Refusal(status, code, message, details)
  }
  return {
    ledger: Object.fromEntries(TASKS.map((task) => [task, call(task)])) as unknown as Ledger,
    readLoad: (loadId) => readerPool.run({ url, loadId }) as Promise<void>,
    close: async () => { await Promise.all([ledgerPool.destroy(), readerPool.destroy()]) },
  }
}
