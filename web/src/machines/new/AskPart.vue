<script setup lang="ts">
/** One part of what is asked: how far it is, its title with what it rests on, and its answers. */
import type { Progress } from './answers'

defineProps<{ title: string; done: Progress; note?: string }>()
const WORDS: Record<Progress, string> = { all: 'answered', some: 'partly answered', none: 'not answered' }
</script>

<template>
  <section class="part" :aria-label="title">
    <svg class="mark" viewBox="0 0 14 14" role="img" :aria-label="WORDS[done]">
      <circle cx="7" cy="7" r="5.5" class="ring" />
      <circle v-if="done === 'all'" cx="7" cy="7" r="5.5" class="full" />
      <path v-else-if="done === 'some'" d="M7 1.5 A5.5 5.5 0 0 0 7 12.5 Z" class="full" />
    </svg>
    <div class="head">
      <h2>{{ title }}</h2>
      <p v-if="note" class="faded small">{{ note }}</p>
    </div>
    <div class="answers"><slot /></div>
  </section>
</template>

<style scoped>
.part {
  display: grid;
  grid-template-columns: 14px 104px minmax(0, 1fr);
  gap: 6px 8px;
  padding: 14px 20px 16px 16px;
  border-bottom: 1px solid var(--rule);
}
.mark {
  width: 14px;
  height: 14px;
  margin-top: 3px;
}
.ring {
  fill: none;
  stroke: var(--ink);
  stroke-width: 1.4;
}
.full {
  fill: var(--ink);
}
.head p {
  margin: 3px 0 0;
  line-height: 1.3;
  overflow-wrap: anywhere;
}
.answers {
  min-width: 0;
  display: grid;
  gap: 8px;
  align-content: start;
}
@media (max-width: 560px) {
  .part {
    grid-template-columns: 14px minmax(0, 1fr);
    padding: 12px 12px 14px;
  }
  .answers {
    grid-column: 1 / 3;
  }
}
</style>
