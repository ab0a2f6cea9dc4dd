<script setup lang="ts">
/** One piece of work: how far it is, how to stop it, and what came of each step. */
import { computed, ref, watch } from 'vue'
import { api, ask, type Job, type JobStep } from '@/api/client'
import { session } from '@/frame/session'
import { moment, plural } from '@/ui/words'

const props = defineProps<{ job: Job; open: boolean }>()
const emit = defineEmits<{ toggle: []; changed: [] }>()
const steps = ref<JobStep[]>([])
const only = ref<'all' | 'failed' | 'differs'>('all')
const zone = Intl.DateTimeFormat().resolvedOptions().timeZone

const over = computed(() => props.job.done + props.job.failed + props.job.left)
const running = computed(() => !props.job.ended_at)
const state = computed(() => {
  if (props.job.stopping) return 'stopping after the step at hand'
  if (props.job.state === 'stopped') return `stopped, ${plural(props.job.left, 'step')} left undone`
  return props.job.state === 'waiting' ? 'waiting for its turn' : running.value ? 'going on' : 'done'
})

watch(
  () => [props.open, over.value, props.job.state],
  async () => {
    if (!props.open) return
    const found: JobStep[] = []
    for (;;) {
      const page = await ask(
        api.GET('/api/jobs/{job_id}', {
          params: { path: { job_id: props.job.id }, query: { after: found.at(-1)?.number ?? 0 } },
        }),
      )
      found.push(...page.steps)
      if (page.steps.length < 200 || found.length >= 2000) break
    }
    steps.value = found
  },
  { immediate: true },
)
/** Whether there is nothing to decide about it. */
const agrees = (s: JobStep) =>
  !s.intake_id || s.outcome === 'agrees with what is known' || s.outcome.startsWith('new: made')
const shown = computed(() =>
  steps.value.filter((s) =>
    only.value === 'failed'
      ? s.state === 'failed'
      : only.value === 'differs'
        ? s.state === 'done' && s.outcome !== 'agrees with what is known'
        : true,
  ),
)
async function stop(): Promise<void> {
  await ask(api.POST('/api/jobs/{job_id}/stop', { params: { path: { job_id: props.job.id } } }))
  emit('changed')
}
function target(s: JobStep): string | null {
  if (!s.intake_id) return null
  return s.machine_id
    ? `/machines/${s.machine_id}/survey?intake=${s.intake_id}`
    : `/machines/new?intake=${s.intake_id}&name=${encodeURIComponent(s.name.replace(/\.[^.]+$/, ''))}`
}
</script>

<template>
  <article class="job" :aria-label="job.title">
    <div class="line">
      <button type="button" class="title" :aria-expanded="open" @click="$emit('toggle')">
        {{ open ? '▾' : '▸' }} {{ job.title }}
      </button>
      <span class="faded small">{{ job.by }}, {{ moment(job.started_at, zone) }}</span>
      <span class="numbers"
        >{{ job.done }} done<template v-if="job.failed"
          >, <b class="wrong">{{ job.failed }} failed</b></template
        >
        of {{ job.total }}</span
      >
      <span class="state small" role="status">{{ state }}</span>
      <button v-if="running && !job.stopping && session.mayWrite()" type="button" class="quiet-link" @click="stop">
        Stop it
      </button>
    </div>
    <div
      class="bar"
      role="progressbar"
      :aria-label="`Progress of ${job.title}`"
      :aria-valuenow="over"
      aria-valuemin="0"
      :aria-valuemax="job.total">
      <i :style="{ width: `${(100 * job.done) / job.total}%` }"></i
      ><i class="bad" :style="{ width: `${(100 * job.failed) / job.total}%` }"></i>
    </div>
    <template v-if="open">
      <div class="filters" role="group" aria-label="Which steps">
        <button type="button" class="choice" :aria-pressed="only === 'all'" @click="only = 'all'">all</button>
        <button type="button" class="choice" :aria-pressed="only === 'differs'" @click="only = 'differs'">
          something new
        </button>
        <button type="button" class="choice" :aria-pressed="only === 'failed'" @click="only = 'failed'">failed</button>
      </div>
      <table>
        <thead class="visually-hidden">
          <tr>
            <th scope="col">step</th>
            <th scope="col">outcome</th>
            <th scope="col">next</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="s in shown" :key="s.number" :class="s.state">
            <th scope="row" class="mono">{{ s.name }}</th>
            <td>{{ s.outcome || (s.state === 'waiting' ? 'waiting' : '') }}</td>
            <td class="next">
              <router-link v-if="target(s) && !(s.machine_id && agrees(s))" class="quiet-link" :to="target(s)!">{{
                s.machine_id ? 'See what differs' : 'Make it a machine'
              }}</router-link>
              <router-link v-else-if="s.machine_id" class="quiet-link" :to="`/machines/${s.machine_id}/survey`"
                >Open it</router-link
              >
            </td>
          </tr>
        </tbody>
      </table>
      <p v-if="job.total > 2000" class="faded small">The first 2000 steps are shown.</p>
    </template>
  </article>
</template>

<style scoped>
.job {
  padding: 8px 0 10px;
  border-top: 1px solid var(--rule);
}
.line {
  display: flex;
  flex-wrap: wrap;
  gap: 2px 14px;
  align-items: baseline;
}
.title {
  font-weight: 650;
  color: var(--ink);
}
.numbers {
  margin-left: auto;
  font-variant-numeric: tabular-nums;
}
.state {
  min-width: 90px;
  color: var(--faded);
}
.bar {
  display: flex;
  height: 6px;
  margin-top: 6px;
  background: var(--rule);
}
.bar i {
  background: var(--go);
}
.bar .bad {
  background: var(--stop);
}
.filters {
  display: flex;
  gap: 6px;
  margin: 10px 0 4px;
}
table {
  width: 100%;
  border-collapse: collapse;
  font-size: 14px;
}
th {
  text-align: left;
  font-weight: 600;
  font-size: 13px;
  white-space: nowrap;
  width: 240px;
  padding: 4px 16px 4px 0;
}
td {
  padding: 4px 12px 4px 0;
}
tbody tr {
  border-top: 1px solid var(--rule);
}
.failed td:nth-child(2) {
  color: var(--stop);
}
.left td,
.waiting td {
  color: var(--faded);
}
.next {
  text-align: right;
  white-space: nowrap;
  padding-right: 0;
}
</style>
