/**
 * One plan being worked on: edits go to the server one after another, are shown at once, and are
 * asked for again when the server was away. A change of somebody else's is shown, never overwritten.
 */
import { computed, ref, shallowRef } from 'vue'
import {
  api,
  ask,
  type Arrangement as ArrangementView,
  Refusal,
  Unreachable,
  wordsOf,
  type Layout,
  type MachineView,
  type Module,
  type Occupant,
  type PlanView,
  type Target,
} from '@/api/client'
import { health } from '@/api/health'
import type { StageChanges } from './stages'

export type Changes = Record<string, Occupant | null>

export interface Conflict {
  message: string
  theirs: PlanView
  yours: Changes
}

export interface Arrangement {
  kind: 'next-set' | 'spread'
  found: ArrangementView
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

  async function start(name?: string, like?: string): Promise<PlanView> {
    const params = { path: { machine_id: machine().id } }
    return ask(
      api.POST('/api/machines/{machine_id}/plans', { params, body: { name: name ?? null, like: like ?? null } }),
    )
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
    const arrived = Object.entries(yours).every(
      ([s, m]) => JSON.stringify(theirs.goal[s] ?? null) === JSON.stringify(m),
    )
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

  /** Facts that a question wants: of the machine, or of modules; `byPart`: known of their part numbers, not seen on them. */
  const answer = (facts: Record<string, unknown>, byPart = false) =>
    enqueue(async () => {
      if (!plan.value) plan.value = await start()
      const params = { path: { plan_id: plan.value.id } }
      show(
        await ask(
          api.POST('/api/plans/{plan_id}/answers', {
            params,
            body: { version: plan.value.version, facts: facts as never, by_part: byPart },
          }),
        ),
      )
    })

  /** What the machine will run with under the plan. */
  const runWith = (facts: Record<string, unknown>) =>
    enqueue(async () => {
      if (!plan.value) plan.value = await start()
      const params = { path: { plan_id: plan.value.id } }
      show(
        await ask(
          api.PUT('/api/plans/{plan_id}/runs-with', {
            params,
            body: { version: plan.value.version, ...facts } as never,
          }),
        ),
      )
    })

  const setStages = (stages: StageChanges[]) =>
    enqueue(async () => {
      const params = { path: { plan_id: plan.value!.id } }
      show(
        await ask(
          api.PUT('/api/plans/{plan_id}/stages', {
            params,
            body: { version: plan.value!.version, stages: stages as never },
          }),
        ),
      )
    })

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
    if (!plan.value)
      return ask(
        api.POST('/api/machines/{machine_id}/targets', { params: { path: { machine_id: machine().id } }, body }),
      )
    return ask(api.POST('/api/plans/{plan_id}/targets', { params: { path: { plan_id: plan.value.id } }, body }))
  }

  /** Settle a conflict: theirs, with what one chose of one's own on top. */
  async function settle(mine: Changes): Promise<void> {
    const { theirs } = conflict.value!
    conflict.value = null
    show(theirs)
    if (Object.keys(mine).length) await edit(mine)
  }

  /** Show what somebody else made of the plan, unless an edit of one's own is on its way: that one is told. */
  async function follow(version: number): Promise<boolean> {
    if (!plan.value || saving.value || conflict.value || version <= plan.value.version) return false
    await open(plan.value.id)
    return true
  }

  /** What filling the next set, or spreading over the sockets, would take; a plan is started for it where there is none. */
  async function propose(kind: Arrangement['kind'], module: Module | null): Promise<Arrangement['found'] | null> {
    wrong.value = ''
    try {
      if (!plan.value) show(await start())
      const params = { path: { plan_id: plan.value!.id } }
      return await ask(
        api.POST('/api/plans/{plan_id}/arrangements', { params, body: { kind, module: module as never } }),
      )
    } catch (error) {
      wrong.value = wordsOf(error)
      return null
    }
  }

  async function discard(id: string, version: number): Promise<void> {
    await ask(
      api.POST('/api/plans/{plan_id}/discard', {
        params: { path: { plan_id: id } },
        body: { version, discarded: true },
      }),
    )
  }

  return {
    plan,
    goal,
    saving: computed(() => saving.value > 0),
    /** Every edit made so far has been answered. */
    settled: () => queue,
    wrong,
    conflict,
    open,
    startNew: async (like?: string) => show(await start(undefined, like)),
    follow,
    propose,
    discard,
    edit,
    answer,
    runWith,
    setStages,
    step,
    rename,
    settle,
    lookUpTargets,
  }
}
