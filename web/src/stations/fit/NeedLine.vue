<script setup lang="ts">
/** What the machine needs against what the plan makes usable of it, and the least that would meet it from here. */
import { computed } from 'vue'
import type { Evaluation, More } from '@/api/client'
import { gb, gbDown, gbUp } from '@/ui/figures'
import VerdictWord from '@/ui/VerdictWord.vue'
import { money } from '../routes/words'

const props = defineProps<{
  now: Evaluation
  goal: Evaluation
  need: number
  /** Before the figure of what is usable. */ atMost: string
  mayAnswer: boolean
  machineId: string
  more?: More | null
  looking?: boolean
}>()
defineEmits<{ more: [more: More] }>()

/** Need is compared with what is usable, and never rounded to be met. [GB] */
const short = computed(() => props.need - props.goal.usable_gib)
const part = (gib: number) => `${(100 * gib) / Math.max(props.need, props.goal.usable_gib, props.now.usable_gib, 1)}%`
const moreWords = computed(() => {
  if (!props.more) return ''
  const parts = Object.entries(props.more.parts).map(([part, n]) => `${n} x ${part}`)
  return `with ${parts.join(', ')}: ${gb(props.more.installed_gib)} ${Number(props.more.cost) ? `for ${money(props.more.cost, props.more.currency)}` : 'from the Shelf'}`
})
</script>

<template>
  <div class="need" :class="short > 0 ? 'lacks' : 'met'">
    <p>
      <strong>{{
        short > 0
          ? `${goal.not_counted ? 'at most ' : ''}${gbUp(short)} GB short of need`
          : `need met, ${atMost}${gbDown(-short)} GB over`
      }}</strong>{{ ' ' }}
      <span class="faded">need {{ gbUp(need) }}</span>
    </p>
    <div class="bar" aria-hidden="true">
      <i class="now" :style="{ width: part(Math.min(now.usable_gib, goal.usable_gib)) }"></i
      ><i
        v-if="goal.usable_gib > now.usable_gib"
        class="plan"
        :style="{ left: part(now.usable_gib), width: part(goal.usable_gib - now.usable_gib) }"></i
      ><i v-if="short > 0" class="gap" :style="{ left: part(goal.usable_gib), width: part(short) }"></i
      ><i class="gate" :style="{ left: part(need) }"></i>
    </div>
    <p v-if="short > 0" class="fix small" aria-live="polite">
      <template v-if="more">
        <button v-if="mayAnswer" type="button" class="quiet-link" @click="$emit('more', more)">{{ moreWords }}</button>
        <span v-else>{{ moreWords }}</span>
        <VerdictWord :of="more" :size="11" />
      </template>
      <template v-else>
        <span v-if="looking" class="faded">looking for what would meet it</span>
        <span v-else-if="more === null" class="faded">nothing at hand meets it from here</span>
        <router-link class="quiet-link" :to="`/machines/${machineId}/routes`">Ways to more</router-link>
      </template>
    </p>
  </div>
</template>

<style scoped>
.need p {
  display: flex;
  justify-content: space-between;
  margin: 0 0 4px;
  font-size: 14px;
}
.need.lacks strong {
  color: var(--stop);
}
.need .bar {
  position: relative;
  height: 14px;
  margin: 4px 4px 4px 0;
  background: var(--lit);
}
.need .bar i {
  position: absolute;
  top: 2px;
  height: 10px;
}
.need .now {
  left: 0;
  background: var(--module-edge);
}
.need .plan {
  top: 0 !important;
  border: 1.25px solid var(--ink);
  background: var(--sheet);
  box-shadow: 3px 3px 3px var(--shadow);
}
.need .gap {
  background: repeating-linear-gradient(135deg, var(--stop) 0 2px, transparent 2px 6px);
}
.need .gate {
  top: -3px !important;
  width: 2px;
  height: 20px !important;
  margin-left: -2px;
  background: var(--ink);
}
.fix {
  justify-content: flex-start !important;
  flex-wrap: wrap;
  gap: 0 8px;
  align-items: baseline;
}
.fix .quiet-link {
  text-align: left;
}
</style>
