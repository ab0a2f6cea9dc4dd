<script setup lang="ts">
/** One thing that a layout rests on: how likely it works, from what that starts, and what each trial does to it. */
import { computed } from 'vue'
import type { Belief } from '@/api/client'
import { OUTCOMES } from '@/notes/words'
import { surely, timesWords } from './belief'

const props = defineProps<{ belief: Belief }>()
const counted = computed(() => props.belief.contributions.filter((c) => c.counts).length)
const trials = computed(() =>
  props.belief.is_prior ? 'no trial speaks of it' : `${counted.value} ${counted.value === 1 ? 'trial' : 'trials'}`,
)
type Spoken = Belief['contributions'][number]
const factors = (c: Spoken) =>
  [
    `who says so ${c.says}`,
    c.likeness !== 1 && `likeness ${+c.likeness.toFixed(2)}`,
    c.age !== 1 && `age ${+c.age.toFixed(2)}`,
    c.soak !== 1 && `how long it ran ${+c.soak.toFixed(2)}`,
    c.blame !== 1 && `its share of the blame ${+c.blame.toFixed(2)}`,
    c.version !== 1 && `with which version nobody told ${c.version}`,
  ]
    .filter(Boolean)
    .join(', ')
</script>

<template>
  <details class="belief">
    <summary>
      <span class="likely" aria-hidden="true"
        ><i :style="{ width: `${100 * belief.works}%` }"></i><b :style="{ left: `${100 * belief.prior}%` }"></b
      ></span>
      {{ belief.words }}: <strong>{{ surely(belief.works) }}</strong> <span class="faded small">{{ trials }}</span>
    </summary>
    <p class="small">It starts at {{ surely(belief.prior) }} ({{ belief.starts }}): {{ belief.because }}.</p>
    <p v-for="c in belief.contributions" :key="c.trial" class="small" :class="{ faded: !c.counts }">
      A trial that was {{ OUTCOMES[c.outcome] }}
      <template v-if="c.counts"
        >{{ timesWords(c.times) }} <span class="faded">({{ factors(c) }})</span></template
      ><template v-else>adds nothing: another of its source tells as much</template>.
    </p>
    <p v-if="belief.quirks >= 0.05" class="small">
      Where it runs, something is shown oddly in {{ surely(belief.quirks) }}.
    </p>
  </details>
</template>

<style scoped>
.belief {
  padding: 5px 0;
  border-top: 1px solid var(--rule);
  font-size: 14px;
}
.belief p {
  margin: 3px 0 0 18px;
}
.likely {
  display: inline-block;
  position: relative;
  width: 72px;
  height: 8px;
  margin-right: 8px;
  background: color-mix(in srgb, var(--stop) 45%, var(--sheet));
}
.likely i,
.likely b {
  position: absolute;
  top: 0;
  bottom: 0;
}
.likely i {
  left: 0;
  background: var(--go);
}
.likely b {
  top: -2px;
  bottom: -2px;
  width: 2px;
  margin-left: -1px;
  background: var(--ink);
}
</style>
