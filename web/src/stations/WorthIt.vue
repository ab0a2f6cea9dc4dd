<script setup lang="ts">
/** Whether a saving is worth what it risks: in words, in money, and as a picture. */
import { computed } from 'vue'
import { LOSSES } from '@/notes/words'
import { percent } from '@/ui/figures'
import { money } from './routes/words'

const props = defineProps<{
  saving: {
    saving: number
    runs: number
    trouble: number | null
    worth_it: boolean
    eaten_by: string | null
    flips: boolean
  }
  /** What trouble costs on average more than the other way does. */
  loss: number
  losses: { outcome: string; probability: number; cost: number }[]
  trouble: number
  range: { low: number; high: number }
  currency: string
  costsTold: boolean
  /** Against what, in words: "route C". */
  against: string
}>()
const had = computed(() => Math.max(0, props.saving.saving) * props.saving.runs)
const more = computed(() => Math.max(0, props.loss))
const scale = computed(() => Math.max(had.value, more.value, 0.01))
const eats = computed(() => props.losses.find((l) => l.outcome === props.saving.eaten_by))
const part = (p: number) => `${(100 * Math.min(Math.max(p, 0), 1)).toFixed(2)}%`
</script>

<template>
  <div class="worth">
    <p>
      Saves <b>{{ money(saving.saving, currency) }}</b> against {{ against
      }}<template v-if="saving.saving > 0"
        >; it runs with {{ percent(saving.runs) }}: <b>{{ money(had, currency) }}</b> on average</template
      >.
    </p>
    <template v-if="costsTold">
      <div v-if="saving.saving > 0" class="bars" aria-hidden="true">
        <i class="saves" :style="{ width: part(had / scale) }"></i>
        <i class="risks" :style="{ width: part(more / scale) }"></i>
      </div>
      <p>
        Trouble costs <b>{{ money(Math.abs(loss), currency) }}</b> {{ loss >= 0 ? 'more' : 'less' }} on average than
        there:
        <b :class="saving.worth_it ? 'go' : 'stop'">{{ saving.worth_it ? 'worth it' : 'not worth it' }}</b><template
          v-if="saving.flips"
          >, <b class="turns">and that turns when trouble is looked at otherwise</b></template
        >.
      </p>
      <div
        v-if="saving.trouble !== null && saving.saving > 0"
        class="line"
        role="img"
        :aria-label="`Trouble ${percent(trouble)}, ${percent(range.low)} to ${percent(range.high)}; eaten up at ${percent(saving.trouble)}`">
        <i class="all"></i><i class="eaten" :style="{ left: part(saving.trouble) }"></i
        ><i class="span" :style="{ left: part(range.low), width: part(range.high - range.low) }"></i
        ><i class="mark" :style="{ left: part(trouble) }"></i>
      </div>
      <p v-if="saving.trouble !== null && saving.saving > 0" class="small faded">
        Trouble {{ percent(trouble) }}; from {{ percent(saving.trouble) }} on (shaded) the saving is eaten up on
        average.
      </p>
      <p v-if="eats && saving.saving > 0" class="small">
        What alone would eat it: <b>{{ LOSSES[eats.outcome] }}</b>, {{ percent(eats.probability) }} likely,
        {{ money(eats.cost, currency) }}.
      </p>
    </template>
    <p v-else class="small">
      What trouble would cost is not told:
      <router-link class="quiet-link" to="/shelf">set what hours, returns and data cost</router-link>, and it is said
      whether that is worth it.
    </p>
  </div>
</template>

<style scoped>
.worth {
  display: grid;
  gap: 4px;
}
p {
  margin: 0;
}
.bars {
  display: grid;
  gap: 3px;
}
.bars i {
  display: block;
  height: 8px;
  min-width: 2px;
}
.saves {
  background: var(--go);
}
.risks {
  background: var(--risk);
}
.go {
  color: var(--go);
}
.stop {
  color: var(--stop);
}
.turns {
  color: var(--ask);
}
.line {
  position: relative;
  height: 16px;
  margin-top: 2px;
}
.line i {
  position: absolute;
}
.all {
  inset: 7px 0 auto;
  height: 2px;
  background: var(--rule);
}
.eaten {
  top: 2px;
  bottom: 2px;
  right: 0;
  background: color-mix(in srgb, var(--stop) 18%, transparent);
  border-left: 1.5px solid var(--stop);
}
.span {
  top: 6px;
  height: 4px;
  min-width: 2px;
  background: var(--module-edge);
}
.mark {
  top: 1px;
  width: 3px;
  height: 14px;
  margin-left: -1px;
  background: var(--ink);
}
</style>
