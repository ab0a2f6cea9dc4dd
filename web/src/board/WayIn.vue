<script setup lang="ts">
/** The way in, as a cut in layers from the outside inwards: what is done, how long out and back, what must come out. */
import { computed } from 'vue'
import type { Board } from '@/api/client'

const props = defineProps<{ board: Board }>()
const printed = (slot: string) => props.board.slots.find((s) => s.id === slot)?.printed ?? slot
type Step = Board['ways'][number]['steps'][number]
/** Out and back, of a step of which it is told; the whole stands beside the way's end. */
const times = (s: Step) =>
  [s.minutes === null ? '' : `out ${s.minutes}`, s.back_minutes === null ? '' : `back ${s.back_minutes}`]
    .filter(Boolean)
    .join(', ')
const back = (w: Board['ways'][number]) =>
  w.steps.length && w.steps.every((s) => s.back_minutes !== null)
    ? w.steps.reduce((sum, s) => sum + s.back_minutes!, 0)
    : null
const bays = (of: number[]) =>
  of.length === 1 ? `bay ${of[0]}` : `bays ${of.slice(0, -1).join(', ')} and ${of.at(-1)}`
const ways = computed(() =>
  props.board.ways.map((w) => ({
    ...w,
    names: w.slots.map(printed).join(', '),
    notes: [
      w.hand ? `the hand: ${w.hand}` : '',
      w.tools.length ? `with ${w.tools.join(', ')}` : '',
      w.bays_out.length ? `${bays(w.bays_out)} must come out` : '',
      w.bays_ease.length ? `${bays(w.bays_ease)} out makes it easier` : '',
      w.airflow.length ? `back in: ${w.airflow.join(', ')}` : '',
      w.cools_min ? `cools for ${w.cools_min} min` : '',
    ].filter(Boolean),
  })),
)
</script>

<template>
  <section class="ways" aria-label="The way in">
    <h2>The way in</h2>
    <div v-for="w in ways" :key="w.id" class="way">
      <p class="to">
        to <b class="mono">{{ w.names }}</b>{{ ' ' }}
        <span v-if="w.minutes" class="figure"
          >{{ w.minutes }} min{{ back(w) === null ? '' : ` out, ${back(w)} back` }}</span
        >
      </p>
      <ol v-if="w.id">
        <li v-for="(s, i) in w.steps" :key="i" :style="{ '--deep': i }">
          <span class="n">{{ i + 1 }}</span>
          <span
            >{{ s.do }}<small v-if="s.close" class="faded">back: {{ s.close }}</small
            ><small v-else-if="s.close === null" class="faded">how it goes back is not told</small></span
          >
          <span class="faded small told"
            >{{ times(s) ? `${times(s)} min` : ''
            }}<span v-if="s.screws">{{ s.screws === 1 ? '1 screw' : `${s.screws} screws` }}</span></span
          >
        </li>
        <li class="slot" :style="{ '--deep': w.steps.length }">
          <span class="n"></span><b class="mono">{{ w.names }}</b>
        </li>
      </ol>
      <p v-else class="untold small">Nobody says how it is reached.</p>
      <p v-if="w.notes.length" class="small faded">{{ w.notes.join('; ') }}.</p>
      <p v-if="w.ends_warranty" class="small warranty">Opening this ends the warranty.</p>
      <p v-else-if="w.ends_warranty === null && w.id" class="small faded">Whether it ends the warranty is not told.</p>
    </div>
  </section>
</template>

<style scoped>
.ways {
  padding: 10px 16px 12px;
  font-size: 14px;
}
.way {
  margin-top: 8px;
}
p {
  margin: 2px 0;
}
.to {
  display: flex;
  gap: 6px;
  align-items: baseline;
}
.figure {
  margin-left: auto;
}
ol {
  list-style: none;
  margin: 4px 0;
  padding: 0;
}
/* Each layer lies within the one before it. */
li {
  display: grid;
  grid-template-columns: 18px minmax(0, 1fr) auto;
  gap: 4px;
  margin-left: calc(9px * var(--deep));
  padding: 4px 8px;
  border: solid var(--module-edge);
  border-width: 1px 0 0 1.5px;
  background: color-mix(in srgb, var(--module) calc(20% + 12% * var(--deep)), var(--sheet));
}
li.slot {
  border-width: 1px 1px 1px 1.5px;
  background: var(--sheet);
}
small {
  display: block;
}
.n {
  color: var(--faded);
}
.told {
  text-align: right;
}
.told span {
  display: block;
}
.untold {
  padding: 6px 10px;
  border: 1.5px dashed var(--ask);
  color: var(--ask);
}
.warranty {
  color: var(--risk);
}
</style>
