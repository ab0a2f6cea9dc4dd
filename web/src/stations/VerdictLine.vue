<script setup lang="ts">
/** One line of the plan's verdict at every station but Fit: total, need, rate, cost, trouble, what is open, the worst against it. Opens the whole. */
import { computed, ref, shallowRef, watch } from 'vue'
import { api, ask, type PlanView } from '@/api/client'
import { counted, gbUp } from '@/ui/figures'
import RangeMark from '@/ui/RangeMark.vue'
import SeverityMark from '@/ui/SeverityMark.vue'
import { isOpen } from '@/ui/verdict'
import VerdictWord from '@/ui/VerdictWord.vue'
import { plural } from '@/ui/words'
import { costWords, troubleWords, useWorth } from './worth'

const props = defineProps<{ machineId: string; plan: { id: string; updated_at: string }; need: number | null }>()
const view = shallowRef<PlanView>()
const away = ref(false)
watch(
  () => [props.plan.id, props.plan.updated_at],
  async () => {
    try {
      away.value = false
      view.value = await ask(api.GET('/api/plans/{plan_id}', { params: { path: { plan_id: props.plan.id } } }))
    } catch {
      away.value = true
      view.value = undefined // the banner tells; the line comes back with the next load
    }
  },
  { immediate: true },
)
const worth = useWorth(() => (view.value ? { id: view.value.id, version: view.value.version } : null))
const judged = computed(() => view.value?.evaluation)
const cost = computed(() => worth.value && costWords(worth.value))
const trouble = computed(
  () => worth.value && judged.value && troubleWords(worth.value, isOpen(judged.value), judged.value.not_counted),
)
const short = computed(() => (props.need ?? 0) - (judged.value?.usable_gib ?? 0))
const worst = computed(() => judged.value?.findings.find((f) => f.severity !== 'note'))
const proved = computed(() => view.value?.verdict_proved)
</script>

<template>
  <router-link v-if="view && judged" class="line" :to="`/machines/${machineId}/fit`">
    <span class="visually-hidden">Plan</span>
    <b class="name">{{ view.name }}</b>
    <VerdictWord :of="proved ? { verdict: proved } : judged" :proved="Boolean(proved)" />
    <span
      ><template v-if="judged.installed_gib !== view.evaluation_now.installed_gib"
        >{{ counted(view.evaluation_now.installed_gib, view.evaluation_now.not_counted) }} → </template
      ><b>{{ counted(judged.installed_gib, judged.not_counted) }} GB</b
      ><template v-if="need"
        >, <span :class="{ lacks: short > 0 }">{{ short > 0 ? `${gbUp(short)} GB short` : 'need met' }}</span></template
      ></span
    >
    <span v-if="judged.data_rate_mts">{{ judged.data_rate_mts }} MT/s</span>
    <span v-if="cost" :title="cost.beside">{{ cost.figure === 'not told' ? 'cost not told' : cost.figure }}</span>
    <span v-if="trouble && worth"
      >trouble {{ trouble.figure }}
      <template v-if="worth.trouble"
        ><RangeMark :at="worth.trouble" :low="worth.trouble_range.low" :high="worth.trouble_range.high" />{{ ' ' }}
        <small class="faded">{{ trouble.beside }}</small></template
      ></span
    >
    <span v-if="!worth" class="faded">cost and trouble are worked out</span>
    <span v-if="view.questions.length" class="asks"
      ><SeverityMark severity="ask" :size="11" /> {{ plural(view.questions.length, 'question') }} first</span
    >
    <span class="worst"
      ><template v-if="worst && !proved && !view.questions.length"
        ><SeverityMark :severity="worst.severity" :size="12" /> {{ worst.message }}</template
      ></span
    >
  </router-link>
  <!-- The line has its place before it is known: nothing below moves under a press. -->
  <p v-else-if="!away" class="line faded">The plan's verdict is looked up.</p>
</template>

<style scoped>
.line {
  display: flex;
  margin: 0;
  flex-wrap: wrap;
  gap: 2px 18px;
  align-items: baseline;
  padding: 7px 20px 7px 40px;
  border-bottom: 1px solid var(--rule);
  background: var(--sheet);
  color: var(--ink);
  text-decoration: none;
  font-size: 14px;
  min-width: 0;
}
.line:hover {
  background: var(--lit);
}
.name {
  max-width: 260px;
  overflow-wrap: anywhere;
}
.lacks {
  color: var(--stop);
  font-weight: 650;
}
.worst {
  flex: 1 1 240px;
  min-width: 0;
}
.worst .mark {
  vertical-align: -1px;
}
/* Where it takes two lines it has them from the start. */
@media (max-width: 1500px) {
  .line {
    min-height: 58px;
    align-content: center;
  }
}
@media (max-width: 700px) {
  .line {
    padding: 7px 14px;
  }
}
</style>
