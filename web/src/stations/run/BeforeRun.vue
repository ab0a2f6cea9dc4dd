<script setup lang="ts">
/** Before a run: what the plan risks and who took that, the run sheet as it would be, and the start. */
import { computed, ref, shallowRef } from 'vue'
import { api, ask, wordsOf, type PlanView, type Risk, type RunPreview } from '@/api/client'
import { oneAtATime } from '@/api/turns'
import { session } from '@/frame/session'
import { age } from '@/ui/words'
import { useLive } from '@/frame/live'
import { useMachine } from '../machine'
import RiskPanel from './RiskPanel.vue'
import StepList from './StepList.vue'
import { minutesWords } from './words'

const props = defineProps<{ plan: { id: string; name: string } }>()
const emit = defineEmits<{ begun: [] }>()
const { machine } = useMachine()
const risk = shallowRef<Risk>()
const sheet = shallowRef<RunPreview>()
const view = shallowRef<PlanView>()
const wrong = ref('')
const days = ref(3)
const busy = ref(false)
const path = { params: { path: { plan_id: props.plan.id } } }

const load = oneAtATime(async () => {
  try {
    ;[view.value, sheet.value, risk.value] = await Promise.all([
      ask(api.GET('/api/plans/{plan_id}', path)),
      ask(api.GET('/api/plans/{plan_id}/run-sheet', path)),
      ask(api.GET('/api/plans/{plan_id}/risk', path)),
    ])
  } catch (error) {
    wrong.value = wordsOf(error)
  }
})
void load()
// A lead's word comes while one waits for it.
useLive(
  () => machine.value.id,
  () => void load(),
)

const approved = computed(() => !!risk.value && risk.value.approvals.length >= risk.value.wanted)
/** Whether a word of whoever looks would do; the server says why it does not. */
const mayApprove = computed(() => {
  const r = risk.value
  if (!r || !r.needed || approved.value) return false
  return (
    session.account?.role === 'lead' ||
    (session.account?.role === 'technician' &&
      r.delegated_trouble > 0 &&
      !r.not_counted &&
      r.trouble <= r.delegated_trouble)
  )
})
const stopped = computed(() => view.value?.evaluation.verdict === 'no-go')
/** Why it cannot begin; "" when it can. */
const waits = computed(() => {
  if (!risk.value || !view.value || !sheet.value) return ' '
  if (stopped.value) return 'Something stops this plan: change it in Fit first.'
  if (!sheet.value.steps.length) return 'The plan changes nothing yet: plan modules in Fit.'
  if (view.value.survey_changed)
    return 'A newer survey found something else in the slots: make a new plan from what is fitted now.'
  if (risk.value.needed && !approved.value) return waitsFor(risk.value)
  return ''
})

async function act(work: () => Promise<unknown>): Promise<void> {
  busy.value = true
  wrong.value = ''
  try {
    await work()
  } catch (error) {
    wrong.value = wordsOf(error)
  } finally {
    busy.value = false
  }
}
const approve = () =>
  act(
    async () =>
      (risk.value = await ask(
        api.POST('/api/plans/{plan_id}/approvals', { ...path, body: { version: view.value!.version } }),
      )),
  )
function waitsFor(r: Risk): string {
  if (r.approvals.length) return `It is at risk: ${r.approvals[0]!.by} has approved it, and one more has to.`
  if (r.approval) return 'It has changed since it was approved: a lead has to look again.'
  return r.wanted > 1
    ? 'It is at risk: two have to approve it first.'
    : 'It is at risk: a lead has to approve it first.'
}
const begin = () =>
  act(async () => {
    await ask(api.POST('/api/plans/{plan_id}/runs', { ...path, body: { soak_days: Number(days.value) } }))
    emit('begun')
  })
</script>

<template>
  <div class="before">
    <section class="panel sheet" aria-labelledby="preview-title">
      <div class="head">
        <h2 id="preview-title">The work: {{ plan.name }}</h2>
        <span v-if="sheet?.steps.length" class="faded small"
          >{{ sheet.steps.length }} steps, down for {{ minutesWords(sheet.down)
          }}{{ sheet.stages > 1 ? `; stage 1 of ${sheet.stages}` : '' }}</span
        >
      </div>
      <StepList v-if="sheet?.steps.length" :steps="sheet.steps" :zone="machine.zone" at="" />
    </section>
    <div class="side">
      <RiskPanel v-if="risk" :risk="risk" />
      <section class="panel start" aria-label="Begin">
        <p v-for="a in risk?.needed ? risk.approvals : []" :key="a.by" class="small">
          Approved by {{ a.by }}, {{ age(a.at) }}<b v-if="a.own">: a plan of their own</b>.
        </p>
        <p v-if="waits.trim()" class="waits" role="status">{{ waits }}</p>
        <button type="button" class="press" v-if="mayApprove && !stopped" :disabled="busy" @click="approve">
          I have seen the risk and take it
        </button>
        <form v-if="session.mayWrite() && !waits" class="fields" @submit.prevent="begin">
          <label
            >Soak before it is back on duty [days]
            <input v-model="days" type="number" min="0.1" max="365" step="any" required
          /></label>
          <button class="press" type="submit" :disabled="busy">Begin the run</button>
        </form>
        <p v-if="wrong" class="wrong" role="alert">{{ wrong }}</p>
      </section>
    </div>
  </div>
</template>

<style scoped>
.before {
  display: grid;
  grid-template-columns: minmax(0, 1fr) 380px;
  gap: 12px;
  padding: 10px 16px 12px 12px;
  align-items: start;
}
.sheet {
  padding: 12px 18px;
}
.head {
  display: flex;
  flex-wrap: wrap;
  gap: 2px 14px;
  align-items: baseline;
}
.side {
  display: grid;
  gap: 12px;
  position: sticky;
  top: 10px;
}
.start {
  padding: 12px 18px 16px;
  display: grid;
  gap: 10px;
}
.start p {
  margin: 0;
}
.waits {
  font-weight: 600;
}
form {
  display: grid;
  gap: 10px;
}
@media (max-width: 900px) {
  .before {
    grid-template-columns: minmax(0, 1fr);
  }
  .side {
    position: static;
  }
}
</style>
