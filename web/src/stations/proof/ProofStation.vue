<script setup lang="ts">
/** Proof: what the machine shows afterwards against the plan, over time; the search for what is at fault; signing off. */
import { computed, ref, shallowRef, watch } from 'vue'
import { api, ask, wordsOf, type FaultTrial, type Layout, type Proof, type RunView } from '@/api/client'
import { oneAtATime } from '@/api/turns'
import BoardView from '@/board/BoardView.vue'
import BySocket from '@/board/BySocket.vue'
import { session } from '@/frame/session'
import ComingNote from '@/ui/ComingNote.vue'
import SeverityMark from '@/ui/SeverityMark.vue'
import { moment } from '@/ui/words'
import { useLive, useLoaded } from '@/frame/live'
import { useMachine } from '../machine'
import DidItHelp from './DidItHelp.vue'
import EvidencePanel from './EvidencePanel.vue'
import FaultPanel from './FaultPanel.vue'
import ProofItems from './ProofItems.vue'
import SignOff from './SignOff.vue'
import SoakPanel from './SoakPanel.vue'
import SurveyAfter from './SurveyAfter.vue'
import TotalsSeen from './TotalsSeen.vue'
import { arranged, lastDark, MARKS, printedOf, proofWords, seenLayout } from './words'

const { machine, reload: reloadMachine, proofState } = useMachine()
const proof = shallowRef<Proof>()
const run = shallowRef<RunView>()
const wrong = ref('')
const brief = computed(() => machine.value.runs[0] ?? null)
const active = computed(() => brief.value?.state === 'under way' && session.mayWrite())

const load = oneAtATime(async () => {
  if (!brief.value) return
  const path = { params: { path: { run_id: brief.value.id } } }
  try {
    ;[proof.value, run.value] = await Promise.all([
      ask(api.GET('/api/runs/{run_id}/proof', path)),
      ask(api.GET('/api/runs/{run_id}', path)),
    ])
    proofState.value = proofWords(proof.value)
    wrong.value = ''
  } catch (error) {
    wrong.value = wordsOf(error)
  }
})
useLoaded(() => [brief.value?.id, brief.value?.state], load)
useLive(
  () => machine.value.id,
  (line) => {
    if (line.detail.run === brief.value?.id) void load()
  },
)

/** Keep evidence under an id made here; what the server says against it is thrown to whoever asked. */
async function enter(entry: Record<string, unknown>): Promise<void> {
  const params = { path: { run_id: brief.value!.id, entry_id: crypto.randomUUID() } }
  await ask(
    api.PUT('/api/runs/{run_id}/entries/{entry_id}', {
      params,
      body: { at: new Date().toISOString(), entry: entry as never },
    }),
  )
  await load()
}

const goal = computed(() => (run.value?.goal ?? {}) as Layout)
const handled = computed(() => [...new Set((run.value?.steps ?? []).filter((s) => s.do).flatMap((s) => s.slots))])
const searching = computed(() => !!proof.value?.faults && proof.value.faults.ended === null)
const trial = shallowRef<FaultTrial | null>(null)
const picking = ref(false)
const picked = ref<string[]>([])
watch(
  () => proof.value?.faults,
  (faults) => {
    trial.value = faults?.trials[0] ?? null
    picking.value = false
    picked.value = []
  },
)
const now = computed<Layout>(() => {
  if (!proof.value) return {}
  if (searching.value) return arranged(proof.value.faults!.arrangement, goal.value)
  return proof.value.seen ? seenLayout(proof.value, goal.value) : goal.value
})
const then = computed<Layout>(() =>
  searching.value && trial.value ? arranged(trial.value.arrangement, goal.value) : goal.value,
)
/** Modules that go elsewhere: for the next boot, or back to their planned slots once a culprit is named. */
const arrows = computed<[string, string][]>(() => {
  if (!searching.value || picking.value) return []
  if (trial.value) return Object.entries(trial.value.moves)
  return proof.value!.faults!.culprit
    ? Object.entries(proof.value!.faults!.arrangement).filter(([slot, home]) => slot !== home)
    : []
})
const lit = computed(
  () =>
    new Map(
      (picking.value ? picked.value : searching.value ? (trial.value?.touched ?? []) : []).map((s) => [
        s,
        'plain' as const,
      ]),
    ),
)
const proofs = computed(() => {
  // While it is searched, what was not seen at the last boot.
  if (searching.value)
    return new Map(
      lastDark(proof.value!.faults!).map((s) => [s, { mark: 'stop' as const, words: 'not seen at the last boot' }]),
    )
  if (!proof.value?.seen) return new Map()
  return new Map(
    proof.value.seen.comparison.slots.map((s) => [
      s.slot,
      { mark: MARKS[s.seen] ?? 'ask', words: [s.seen, s.words].filter(Boolean).join(': ') },
    ]),
  )
})
const off = computed(
  () => proof.value?.seen?.comparison.slots.filter((s) => s.seen !== 'right' && s.seen !== 'right by its total') ?? [],
)
/** What speaks against it, beside what nobody saw. */
const wrongSlots = computed(() => off.value.filter((s) => s.seen !== 'not told').length)
/** The fault search asked for although nothing shows where: it does not start, it restarts. */
const asked = ref(false)
const failedTest = computed(() => proof.value?.tests.some((t) => t.errors > 0 && !t.stale) ?? false)
/** What the fault search is shown with: beside the board while it goes on, below it otherwise. */
const search = computed(() => ({
  failedTest: failedTest.value,
  machine: machine.value,
  proof: proof.value!,
  active: active.value,
  enter,
  trial: trial.value,
  picking: picking.value,
  picked: picked.value,
}))
const right = computed(() => (proof.value?.seen?.comparison.slots.length ?? 0) - off.value.length)
function pick(slot: string): void {
  if (!picking.value) return
  picked.value = picked.value.includes(slot) ? picked.value.filter((s) => s !== slot) : [...picked.value, slot]
}
const taking = ref(false)
async function ended(): Promise<void> {
  await reloadMachine()
  await load()
}
</script>

<template>
  <section v-if="!brief" class="panel none">
    <h2>Nothing to prove yet</h2>
    <p>
      Proof begins when a run does:
      <router-link class="quiet-link" :to="`/machines/${machine.id}/run`">see Run</router-link>.
    </p>
  </section>
  <div v-else-if="proof && run" class="proof">
    <section class="panel seen" aria-labelledby="seen-title">
      <div class="caption">
        <h2 id="seen-title">
          {{
            searching
              ? trial
                ? `Next boot: ${trial.words}`
                : arrows.length
                  ? 'Back to the planned slots'
                  : 'As it stands'
              : proof.seen
                ? 'Seen against the plan'
                : 'As planned; nothing seen yet'
          }}
        </h2>
        <span v-if="proof.seen && !searching" class="faded small"
          >{{ proof.seen.source }}, {{ moment(proof.seen.at, machine.zone) }}, by {{ proof.seen.by }}</span
        >
        <b v-if="proof.seen?.stale && !searching" class="small stale"
          >from before modules were handled last: look again</b
        >
        <span v-if="proof.seen && !searching" class="small"
          >{{ right }} of {{ proof.seen.comparison.slots.length }} right</span
        >
        <button v-if="active && !taking" type="button" class="quiet-link" @click="taking = true">
          {{ proof.seen ? 'Look again' : 'What does it show?' }}
        </button>
        <button
          v-if="active && !proof.faults && !wrongSlots && !failedTest"
          type="button"
          class="quiet-link"
          :aria-expanded="asked"
          @click="asked = !asked">
          It does not start, or not rightly
        </button>
        <a class="quiet-link" :href="`/api/runs/${brief.id}/proof.pdf`" target="_blank" rel="noopener">Print (PDF)</a>
      </div>
      <BySocket v-slot="{ socket }" :board="machine.board" :now="now" :goal="then" :slot_="[...lit.keys()][0]">
        <div class="picture">
          <BoardView
            :socket="arrows.length ? null : socket"
            :board="machine.board"
            :now="now"
            :goal="then"
            :lit="lit"
            :proofs="proofs"
            :moves="arrows"
            :interactive="picking"
            @enter="pick"
            @press="pick" />
        </div>
      </BySocket>
      <ul v-if="off.length && !searching" class="off small">
        <li v-for="s in off.slice(0, 8)" :key="s.slot">
          <SeverityMark :severity="MARKS[s.seen] ?? 'ask'" /> <b class="mono">{{ printedOf(machine.board, s.slot) }}</b>
          {{ s.seen }}<span v-if="s.words" class="faded">: {{ s.words }}</span>
        </li>
        <li v-if="off.length > 8" class="faded">and {{ off.length - 8 }} more</li>
      </ul>
      <p v-for="r in searching ? [] : (proof.seen?.comparison.remarks ?? [])" :key="r" class="small remark">{{ r }}</p>
    </section>
    <div class="side">
      <SurveyAfter
        v-if="taking"
        :machine="machine"
        :goal="goal"
        :handled="handled"
        :enter="enter"
        @leave="taking = false"
        @changed="reloadMachine" />
      <TotalsSeen v-if="proof.seen && !searching" :proof="proof" :seen="proof.seen" :machine-id="machine.id" />
      <FaultPanel v-if="searching" class="narrow" v-bind="search" @choose="trial = $event" @pick="picking = $event" />
      <ProofItems :proof="proof" :active="active" :enter="enter">
        <SignOff
          v-if="active && proof.complete"
          :machine="machine"
          :run="run"
          :waived="proof.items.filter((i) => i.state === 'waived').length"
          @signed="ended" />
        <router-link v-if="active && !proof.complete" class="quiet-link small" :to="`/machines/${machine.id}/run`"
          >Go on with the run sheet, or back out</router-link
        >
      </ProofItems>
    </div>
    <FaultPanel
      v-if="!searching && (proof.faults || (active && (wrongSlots || failedTest || asked)))"
      class="wide"
      v-bind="search"
      @choose="trial = $event"
      @pick="picking = $event" />
    <DidItHelp class="wide" :machine-id="machine.id" :ended="!active" />
    <SoakPanel class="wide" :machine="machine" :proof="proof" :goal="goal" :active="active" :enter="enter" />
    <EvidencePanel
      class="wide"
      :machine="machine"
      :proof="proof"
      :run-id="brief.id"
      :active="active"
      :enter="enter"
      @changed="load" />
    <p v-if="wrong" class="wrong wide" role="alert">{{ wrong }}</p>
  </div>
  <p v-else-if="wrong" class="wrong" role="alert">{{ wrong }}</p>
  <ComingNote v-else what="What is proved" />
</template>

<style scoped>
.proof {
  display: grid;
  grid-template-columns: minmax(0, 1fr) 380px;
  gap: 12px;
  padding: 10px 16px 12px 12px;
  align-items: start;
}
.wide {
  grid-column: 1 / -1;
}
.seen {
  padding-bottom: 10px;
}
.caption {
  display: flex;
  flex-wrap: wrap;
  gap: 2px 14px;
  align-items: baseline;
  padding: 10px 16px 0;
}
.picture {
  height: clamp(320px, 56vh, 560px);
}
.off {
  list-style: none;
  margin: 0;
  padding: 0 16px;
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(240px, 1fr));
  gap: 2px 16px;
}
.remark {
  margin: 4px 16px 0;
  color: var(--faded);
}
.side {
  display: grid;
  gap: 12px;
}
.stale {
  color: var(--ask);
}
.none {
  margin: 12px 16px;
  padding: 24px 28px;
  max-width: 640px;
}
@media (max-width: 900px) {
  .proof {
    grid-template-columns: minmax(0, 1fr);
  }
}
</style>
