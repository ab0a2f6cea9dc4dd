<script setup lang="ts">
/** One machine: its name, the path of stations with what each has come to, and the station chosen. */
import { computed, provide, ref, shallowRef } from 'vue'
import { useRoute } from 'vue-router'
import { api, ask, wordsOf, type MachineView, type Severity } from '@/api/client'
import { oneAtATime } from '@/api/turns'
import { gb, gbUp } from '@/ui/figures'
import ComingNote from '@/ui/ComingNote.vue'
import { useTitle } from '@/ui/title'
import { age } from '@/ui/words'
import { session } from '@/frame/session'
import { useLoaded } from '@/frame/live'
import MachineEdit from './MachineEdit.vue'
import OtherModel from './OtherModel.vue'
import SheetNotices from './SheetNotices.vue'
import VerdictLine from './VerdictLine.vue'
import { ENDED, runWords } from './run/words'
import StationTrace, { type Pad } from './StationTrace.vue'
import { machineKey, type OpenMachine } from './machine'

const props = defineProps<{ id: string }>()
const machine = shallowRef<MachineView>()
const wrong = ref('')
const fitState: OpenMachine['fitState'] = ref(null)
const routesState: OpenMachine['routesState'] = ref(null)
const proofState: OpenMachine['proofState'] = ref(null)

const reload = oneAtATime(async () => {
  const id = props.id
  try {
    const found = await ask(api.GET('/api/machines/{machine_id}', { params: { path: { machine_id: id } } }))
    // Another machine may have been opened meanwhile: its own turn comes.
    if (id !== props.id) return
    machine.value = found
    wrong.value = ''
  } catch (error) {
    if (id === props.id) wrong.value = wordsOf(error)
  }
})

// The stations are shown only once the machine is there.
provide(machineKey, { machine: machine as OpenMachine['machine'], reload, fitState, routesState, proofState })
useLoaded(() => props.id, reload)

/** Stations at which the plan is a line; Fit has the whole verdict. */
const LINED = ['ceiling', 'target', 'routes', 'run', 'proof']
const place = useRoute()

const editing = ref(false)
const remodelling = ref(false)
function saved(changed: MachineView): void {
  machine.value = { ...changed, plans: machine.value?.plans ?? [] }
  editing.value = false
  void reload()
}

const station = computed(() => place.path.split('/').at(-1)!)
const proofWords = computed(() => {
  const last = machine.value?.runs[0]
  if (!last || last.state === 'backed out') return 'nothing to prove'
  return last.state === 'under way' ? 'to be proved' : `${ENDED[last.state]} ${age(last.ended_at ?? last.started_at)}`
})
/** What each station has come to. */
const pads = computed<Pad[]>(() => {
  const m = machine.value
  if (!m) return []
  const { known, total } = m.survey
  const plan = m.plans[0]
  const run = m.runs[0]
  const ended = run && run.state !== 'under way'
  const worked: Pad['fill'] = !run || run.state === 'backed out' ? 'hollow' : ended ? 'filled' : 'half'
  return [
    {
      key: 'survey',
      name: 'Survey',
      state: `${known} of ${total} known`,
      fill: known === total ? 'filled' : known ? 'half' : 'hollow',
    },
    {
      key: 'ceiling',
      name: 'Ceiling',
      state: m.official_gib ? `${gb(m.official_gib)} GB official` : 'nobody states one',
      fill: m.official_gib ? 'filled' : 'hollow',
    },
    {
      key: 'target',
      name: 'Target',
      state: m.need_gib ? `need ${gbUp(m.need_gib)} GB` : 'not said yet',
      fill: m.need_gib ? 'filled' : 'hollow',
    },
    {
      key: 'routes',
      name: 'Routes',
      state: routesState.value ?? 'ways to more',
      fill: routesState.value ? 'filled' : 'hollow',
    },
    {
      key: 'fit',
      name: 'Fit',
      state: fitState.value?.words ?? plan?.name ?? 'no plan yet',
      fill: plan ? 'filled' : 'hollow',
      severity: fitState.value && fitState.value.severity !== 'go' ? (fitState.value.severity as Severity) : null,
    },
    { key: 'run', name: 'Run', state: runWords(run), fill: worked },
    {
      key: 'proof',
      name: 'Proof',
      state: proofState.value ?? proofWords.value,
      fill: worked,
      severity: run?.state === 'waived' ? 'risk' : null,
    },
  ]
})
useTitle(() =>
  machine.value ? `${machine.value.name}: ${pads.value.find((p) => p.key === station.value)?.name ?? 'history'}` : '',
)
/** The plan that the line is of: what is being worked, or else the newest. */
const lined = computed(
  () =>
    machine.value?.plans.find((p) => p.id === machine.value?.runs.find((r) => r.state === 'under way')?.plan_id) ??
    machine.value?.plans[0],
)
const offDuty = computed(() => machine.value?.runs[0]?.state === 'under way')
</script>

<template>
  <div v-if="machine" class="machine">
    <header>
      <div class="title">
        <h1>{{ machine.name }}</h1>
        <span class="faded">{{ machine.sheet_title }}</span>
        <span class="faded where">{{ [machine.site, machine.about.place].filter(Boolean).join(' / ') }}</span>
        <span v-if="machine.retired_at" class="retired">retired</span>
        <span v-if="offDuty" class="retired off-duty">on the bench</span>
        <button v-if="session.mayWrite()" type="button" class="quiet-link" @click="editing = true">Edit</button>
        <router-link class="quiet-link" :to="`/machines/${id}/history`">History</router-link>
        <div id="machine-actions" class="actions"></div>
      </div>
      <StationTrace :pads="pads" :base="`/machines/${id}`" :at="station" />
    </header>
    <div class="station-body" data-station>
      <SheetNotices :machine="machine" @changed="reload" />
      <VerdictLine v-if="lined && LINED.includes(station)" :machine-id="id" :plan="lined" :need="machine.need_gib" />
      <router-view :key="id" />
    </div>
    <MachineEdit
      v-if="editing"
      :machine="machine"
      @saved="saved"
      @leave="editing = false"
      @remodel="((editing = false), (remodelling = true))" />
    <OtherModel
      v-if="remodelling"
      :machine="machine"
      @saved="((remodelling = false), saved($event))"
      @leave="remodelling = false" />
  </div>
  <p v-else-if="wrong" class="wrong" role="alert">
    {{ wrong }} <router-link class="quiet-link" to="/machines">See the machines</router-link>
  </p>
  <ComingNote v-else what="The machine" />
</template>

<style scoped>
.machine {
  min-height: 100vh;
  display: grid;
  grid-template: auto minmax(0, 1fr) / minmax(0, 1fr);
}
header {
  padding: 8px 20px 0 0;
  height: 112px;
  border-bottom: 1px solid var(--rule);
  background: var(--paper);
}
.title {
  display: flex;
  align-items: baseline;
  gap: 0 16px;
  height: 40px;
  padding-left: 40px;
  white-space: nowrap;
}
.title > .faded {
  min-width: 0;
  overflow: hidden;
  text-overflow: ellipsis;
}
.actions {
  margin-left: auto;
  display: flex;
  gap: 10px;
  align-items: center;
  align-self: center;
}
.retired {
  padding: 0 8px;
  border: 1px solid var(--faded);
  color: var(--faded);
}
.off-duty {
  border-color: var(--umber);
  color: var(--umber);
}
.station-body {
  min-width: 0;
}
.wrong {
  padding: 40px;
}
@media (max-width: 1100px) and (min-width: 701px) {
  .where {
    display: none;
  }
  .title {
    gap: 0 10px;
  }
}
@media (max-width: 700px) {
  header {
    height: auto;
    padding: 8px 0 4px;
  }
  .title {
    height: auto;
    flex-wrap: wrap;
    padding: 0 14px;
    white-space: normal;
  }
  .where {
    display: none;
  }
  .actions {
    margin: 4px 0;
    flex-wrap: wrap;
  }
}
</style>
