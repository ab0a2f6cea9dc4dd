<script setup lang="ts">
/** One machine: its name, the path of stations with what each has come to, and the station chosen. */
import { computed, provide, ref, shallowRef } from 'vue'
import { useRoute } from 'vue-router'
import { api, ask, wordsOf, type MachineView } from '@/api/client'
import { gb } from '@/board/state'
import { age } from '@/ui/words'
import { session } from '@/frame/session'
import { useLoaded } from './live'
import MachineEdit from './MachineEdit.vue'
import SheetNotices from './SheetNotices.vue'
import VerdictLine from './VerdictLine.vue'
import { runWords } from './run/words'
import { machineKey, type OpenMachine } from './machine'

const props = defineProps<{ id: string }>()
const machine = shallowRef<MachineView>()
const wrong = ref('')
const fitState: OpenMachine['fitState'] = ref(null)
const routesState: OpenMachine['routesState'] = ref(null)
const proofState: OpenMachine['proofState'] = ref(null)

async function reload(): Promise<void> {
  try {
    machine.value = await ask(api.GET('/api/machines/{machine_id}', { params: { path: { machine_id: props.id } } }))
    wrong.value = ''
  } catch (error) {
    wrong.value = wordsOf(error)
  }
}

// The stations are shown only once the machine is there.
provide(machineKey, { machine: machine as OpenMachine['machine'], reload, fitState, routesState, proofState })
useLoaded(() => props.id, reload)

/** Stations at which the plan is a line; Fit has the whole verdict. */
const LINED = ['ceiling', 'target', 'routes']
const place = useRoute()

const editing = ref(false)
function saved(changed: MachineView): void {
  machine.value = { ...changed, plans: machine.value?.plans ?? [] }
  editing.value = false
  void reload()
}

const surveyWords = computed(() => {
  const s = machine.value?.survey
  return s ? `${s.known} of ${s.total} known` : ''
})
const ceilingWords = computed(() => {
  const official = machine.value?.official_gib
  return official ? `${gb(official)} GB official` : 'nobody states one'
})
const proofWords = computed(() => {
  const last = machine.value?.runs[0]
  return last?.state === 'proved' ? `proved ${age(last.ended_at ?? last.started_at)}` : last?.state === 'under way' ? 'to be proved' : 'nothing to prove'
})
const offDuty = computed(() => machine.value?.runs[0]?.state === 'under way')
const fitWords = computed(() => fitState.value?.words ?? (machine.value?.plans[0] ? machine.value.plans[0].name : 'no plan yet'))
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
      <nav class="path" aria-label="Stations">
        <router-link class="station" :to="`/machines/${id}/survey`">
          <strong>Survey</strong><span>{{ surveyWords }}</span>
        </router-link>
        <router-link class="station" :to="`/machines/${id}/ceiling`">
          <strong>Ceiling</strong><span>{{ ceilingWords }}</span>
        </router-link>
        <router-link class="station" :to="`/machines/${id}/target`">
          <strong>Target</strong><span>{{ machine.need_gib ? `need ${gb(machine.need_gib)}` : 'not said yet' }}</span>
        </router-link>
        <router-link class="station" :to="`/machines/${id}/routes`">
          <strong>Routes</strong><span>{{ routesState ?? 'ways to more' }}</span>
        </router-link>
        <router-link class="station" :to="`/machines/${id}/fit`">
          <strong>Fit</strong>
          <span :style="fitState ? { color: `var(--${fitState.severity})` } : undefined">{{ fitWords }}</span>
        </router-link>
        <router-link class="station" :to="`/machines/${id}/run`">
          <strong>Run</strong><span>{{ runWords(machine.runs[0]) }}</span>
        </router-link>
        <router-link class="station" :to="`/machines/${id}/proof`">
          <strong>Proof</strong><span>{{ proofState ?? proofWords }}</span>
        </router-link>
      </nav>
    </header>
    <div class="station-body">
      <SheetNotices :machine="machine" @changed="reload" />
      <VerdictLine v-if="machine.plans[0] && LINED.includes(place.path.split('/').at(-1)!)" :machine-id="id" :plan="machine.plans[0]" />
      <router-view :key="id" />
    </div>
    <MachineEdit v-if="editing" :machine="machine" @saved="saved" @leave="editing = false" />
  </div>
  <p v-else-if="wrong" class="wrong" role="alert">
    {{ wrong }} <router-link class="quiet-link" to="/machines">See the machines</router-link>
  </p>
</template>

<style scoped>
.machine {
  min-height: 100vh;
  display: grid;
  grid-template: auto minmax(0, 1fr) / minmax(0, 1fr);
}
header {
  padding: 10px 20px 0;
  border-bottom: 1px solid var(--rule);
}
.title {
  display: flex;
  align-items: baseline;
  gap: 4px 16px;
  min-height: 36px;
  flex-wrap: wrap;
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
.path {
  display: flex;
  gap: 4px;
  margin-top: 6px;
}
.station {
  position: relative;
  display: grid;
  min-width: 122px;
  padding: 4px 14px 6px;
  color: var(--ink);
  text-decoration: none;
  border: 1px solid transparent;
  border-bottom: 0;
  border-top-width: 3px;
  border-radius: 4px 4px 0 0;
  font-size: 13px;
  line-height: 1.35;
}
.station strong {
  font-size: 15px;
  font-weight: 600;
}
.station span {
  color: var(--faded);
}
.station + .station::before {
  content: '';
  position: absolute;
  left: -6px;
  top: 16px;
  width: 7px;
  height: 7px;
  border: solid var(--module-edge);
  border-width: 1.5px 1.5px 0 0;
  transform: rotate(45deg);
  opacity: 0.6;
}
.station.router-link-active {
  background: var(--sheet);
  border-color: var(--rule);
  border-top-color: var(--umber);
  margin-bottom: -1px;
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
}
@media (max-width: 700px) {
  .station {
    min-width: 0;
    flex: 1;
    padding: 4px 8px 6px;
  }
}
</style>
