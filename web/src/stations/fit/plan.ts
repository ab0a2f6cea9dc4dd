/**
 * One plan being worked on: edits go to the server one after another, are shown at once, and are
 * asked for again when the server was away. A change of somebody else's is shown, never overwritten.
 */
import { computed, ref, shallowRef } from 'vue'
import { api, ask, Refusal, Unreachable, wordsOf, type Layout, type MachineView, type Module, type Occupant, type PlanView, type Target } from '@/api/client'
import { health } from '@/api/health'

export type Changes = Record<string, Occupant | null>

export interface Conflict {
  message: string
  theirs: PlanView
  yours: Changes
}

type Body = Record<string, unknown>

export function usePlan(machine: () => MachineView) {
  const plan = shallowRef<PlanView | null>(null)
  /** The goal as shown: the server's, with edits on their way laid over it. */
  const goal = shallowRef<Layout>({})
  const saving = ref(0)
  const wrong = ref('')
  const conflict = shallowRef<Conflict | null>(null)
  let queue: Promise<unknown> = Promise.resolve()

  function show(view: PlanView | null): void {
    plan.value = view
    goal.value = view ? view.goal : machine().slots
  }

  async function open(id: string | undefined): Promise<void> {
    show(id ? await ask(api.GET('/api/plans/{plan_id}', { params: { path: { plan_id: id } } })) : null)
  }

  async function start(name?: string): Promise<PlanView> {
    const params = { path: { machine_id: machine().id } }
    return ask(api.POST('/api/machines/{machine_id}/plans', { params, body: { name: name ?? null } }))
  }

  /** One request after the other; what cannot reach the server waits and is sent again. */
  function enqueue(work: () => Promise<void>, yours: Changes = {}): Promise<void> {
    saving.value += 1
    wrong.value = ''
    const run = async () => {
      for (;;) {
        try {
          if (conflict.value) return
          await work()
          return
        } catch (error) {
          if (error instanceof Unreachable) {
            await health.restored()
            continue
          }
          if (error instanceof Refusal && error.status === 409) settleLater(error, yours)
          else {
            wrong.value = wordsOf(error)
            show(plan.value)
          }
          return
        }
      }
    }
    const done = queue.then(run).finally(() => (saving.value -= 1))
    queue = done
    return done
  }

  function settleLater(error: Refusal, yours: Changes): void {
    const theirs = error.problem.theirs as PlanView
    const arrived = Object.entries(yours).every(([s, m]) => JSON.stringify(theirs.goal[s] ?? null) === JSON.stringify(m))
    // The answer to our own edit was lost on its way, or they did the same: nothing to choose.
    if (arrived && Object.keys(yours).length) show(theirs)
    else conflict.value = { message: error.problem.detail, theirs, yours }
  }

  async function send(path: 'edits' | 'steps', body: Body): Promise<void> {
    if (!plan.value) plan.value = await start()
    const params = { path: { plan_id: plan.value.id } }
    const full = { version: plan.value.version, ...body }
    const view =
      path === 'edits'
        ? await ask(api.POST('/api/plans/{plan_id}/edits', { params, body: full as never }))
        : await ask(api.POST('/api/plans/{plan_id}/steps', { params, body: full as never }))
    plan.value = view
    if (saving.value === 1) goal.value = view.goal
  }

  function edit(changes: Changes): Promise<void> {
    const next = { ...goal.value }
    for (const [slot, occupant] of Object.entries(changes)) {
      if (occupant === null) delete next[slot]
      else next[slot] = occupant
    }
    goal.value = next
    return enqueue(() => send('edits', { changes }), changes)
  }

  const step = (kind: 'undo' | 'redo') =>
    enqueue(async () => {
      await send('steps', { step: kind })
    })

  const rename = (name: string) =>
    enqueue(async () => {
      if (!plan.value) return show(await start(name))
      const params = { path: { plan_id: plan.value.id } }
      plan.value = await ask(api.PATCH('/api/plans/{plan_id}', { params, body: { version: plan.value.version, name } }))
    })

  /** Where a module may go: in the plan, or in the machine as it is while there is no plan. */
  function lookUpTargets(module: Module, from: string | null): Promise<Target[]> {
    const body = { module: module as never, taken_from: from }
    if (!plan.value) return ask(api.POST('/api/machines/{machine_id}/targets', { params: { path: { machine_id: machine().id } }, body }))
    return ask(api.POST('/api/plans/{plan_id}/targets', { params: { path: { plan_id: plan.value.id } }, body }))
  }

  /** Settle a conflict: keep theirs, or put one's own change on top of theirs. */
  async function settle(mine: boolean): Promise<void> {
    const { theirs, yours } = conflict.value!
    conflict.value = null
    show(theirs)
    if (mine) await edit(yours)
  }

  return {
    plan,
    goal,
    saving: computed(() => saving.value > 0),
    wrong,
    conflict,
    open,
    startNew: async () => show(await start()),
    edit,
    step,
    rename,
    settle,
    lookUpTargets,
  }
}
