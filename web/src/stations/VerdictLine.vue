<script setup lang="ts">
/** One line of the plan's verdict at the stations before Fit: total, rate, the worst that is against it. Opens the whole. */
import { computed, shallowRef, watch } from 'vue'
import { api, ask, type PlanView } from '@/api/client'
import { gb } from '@/ui/figures'
import SeverityMark from '@/ui/SeverityMark.vue'

const props = defineProps<{ machineId: string; plan: { id: string; updated_at: string } }>()
const view = shallowRef<PlanView>()
watch(
  () => [props.plan.id, props.plan.updated_at],
  async () => {
    try {
      view.value = await ask(api.GET('/api/plans/{plan_id}', { params: { path: { plan_id: props.plan.id } } }))
    } catch {
      view.value = undefined // the banner tells; the line comes back with the next load
    }
  },
  { immediate: true },
)
const worst = computed(() => view.value?.evaluation.findings.find((f) => f.severity !== 'note'))
</script>

<template>
  <router-link v-if="view" class="line" :to="`/machines/${machineId}/fit`">
    <span class="faded">Plan</span> <b>{{ view.name }}</b>
    <span>{{ gb(view.evaluation_now.installed_gib) }} → <b>{{ gb(view.evaluation.installed_gib) }} GB</b></span>
    <span v-if="view.evaluation.data_rate_mts">{{ view.evaluation.data_rate_mts }} MT/s</span>
    <span class="worst"><SeverityMark :severity="worst?.severity ?? 'go'" /> {{ worst?.message ?? 'nothing known against it' }}</span>
  </router-link>
</template>

<style scoped>
.line {
  display: flex;
  gap: 4px 16px;
  align-items: baseline;
  margin: 8px 16px 0 12px;
  padding: 5px 14px;
  border: 1px solid var(--rule);
  border-left: 3px solid var(--umber);
  background: var(--sheet);
  color: var(--ink);
  text-decoration: none;
  font-size: 14px;
  min-width: 0;
}
.line:hover {
  background: var(--lit);
}
.line > span,
.line > b {
  flex: none;
}
.line > .worst {
  flex: 1;
  min-width: 0;
  white-space: nowrap;
  overflow: hidden;
  text-overflow: ellipsis;
}
@media (max-width: 700px) {
  .line {
    flex-wrap: wrap;
  }
  .line > .worst {
    white-space: normal;
    flex-basis: 100%;
  }
}
</style>
