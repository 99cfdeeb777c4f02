import { defineStore } from 'pinia'
import { computed, ref, shallowRef } from 'vue'
import type { Problem } from '../../core/problems.ts'
import type { Classification, CleanStep, Pool, Rule, Rulebook } from '../../core/types.ts'
import { ApiError, get, send } from '../api/client.ts'
import { useNotes } from './notes.ts'
import { useSession } from './session.ts'

interface DraftAnswer { draft: { revision: number; rulebook: Rulebook; changedBy: string; changedAt: string }; latest: number; isChanged: boolean; problems: Problem[] }

/** The draft of the rulebook as it is being edited: each act is saved at once and can be undone; somebody else's save is never overwritten unasked. */
export const useDraft = defineStore('draft', () => {
  const notes = useNotes()
  const session = useSession()
  const rulebook = shallowRef<Rulebook | null>(null)
  const revision = ref(0)
  const latest = ref(0)
  const isChanged = ref(false)
  const problems = ref<Problem[]>([])
  const conflict = ref('')
  const isSaving = ref(false)
  let queue: Promise<void> = Promise.resolve()
  let undoable = 0

  async function open(): Promise<void> {
    const answer = await get<DraftAnswer>('/api/rulebook')
    rulebook.value = answer.draft.rulebook
    revision.value = answer.draft.revision
    latest.value = answer.latest
    isChanged.value = answer.isChanged
    problems.value = answer.problems
    conflict.value = ''
  }

  async function save(): Promise<void> {
    if (conflict.value || !rulebook.value) return
    isSaving.value = true
    try {
      const answer = await send<{ revision: number; problems: Problem[]; isChanged: boolean }>('PUT', '/api/rulebook/draft', { revision: revision.value, rulebook: rulebook.value })
      revision.value = answer.revision
      problems.value = answer.problems
      isChanged.value = answer.isChanged
    } catch (failure) {
      if (failure instanceof ApiError && failure.status === 409) conflict.value = failure.message
      else notes.fail(failure)
    } finally {
      isSaving.value = false
    }
  }

  /** Only the last change can be taken back: undoing an earlier one would undo those after it unsaid. */
  function offerUndo(said: string, before: Rulebook): void {
    notes.withdrawUndo(undoable)
    undoable = notes.say(said, { undo: () => change(before) })
  }
  /** Replaces the rulebook, saves it, and offers the way back. */
  function change(next: Rulebook, said = ''): void {
    const before = rulebook.value
    rulebook.value = next
    queue = queue.then(save)
    if (said && before) offerUndo(said, before)
    else notes.withdrawUndo(undoable)
  }
  /** The rules of a classification; the empty code is the cost centre. */
  const rulesOf = (classification: string): Rule[] => (classification === '' ? rulebook.value?.rules : rulebook.value?.classifications.find(({ code }) => code === classification)?.rules) ?? []
  function changeRules(classification: string, rules: Rule[], said = ''): void {
    if (classification === '') change({ ...rulebook.value!, rules }, said)
    else changeClassifications(rulebook.value!.classifications.map((one) => (one.code === classification ? { ...one, rules } : one)), said)
  }
  const changeClassifications = (classifications: Classification[], said = ''): void => change({ ...rulebook.value!, classifications }, said)
  const changeCleanUp = (cleanUp: CleanStep[], said = ''): void => change({ ...rulebook.value!, cleanUp }, said)
  const changePools = (pools: Pool[], said = ''): void => change({ ...rulebook.value!, pools }, said)

  /** After a conflict: own edits again, on top of what the other person saved. */
  async function putMineOver(): Promise<void> {
    const mine = rulebook.value!
    await open()
    change(mine)
  }
  async function publish(note: string): Promise<number> {
    await queue
    const { version } = await send<{ version: number }>('POST', '/api/rulebook/publish', { revision: revision.value, note })
    notes.withdrawUndo(undoable)
    await open()
    await session.refresh()
    return version
  }
  const isOpen = computed(() => rulebook.value !== null)
  return { rulebook, revision, latest, isChanged, problems, conflict, isSaving, isOpen, open, change, offerUndo, rulesOf, changeRules, changeClassifications, changeCleanUp, changePools, putMineOver, publish }
})

export const newId = (): string => `r${crypto.getRandomValues(new Uint32Array(2)).join('')}`
