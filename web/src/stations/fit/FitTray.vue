<script setup lang="ts">
/** The tray under the board: type a label, take another of what is known, see what comes out. */
import type { Module } from '@/api/client'
import { moduleLine, moduleWords, voltsOf } from '@/board/state'
import { gb } from '@/ui/figures'
import { computed, ref } from 'vue'
import LabelEntry from './LabelEntry.vue'
import type { Source, TrayItem } from './tray'

const props = defineProps<{
  kinds: TrayItem[]
  shelf: Source[]
  offers: Source[]
  outgoing: TrayItem[]
  mayWrite: boolean
}>()
const FROM = { known: 'Another of these', shelf: 'Shelf', offers: 'Offers' }
const EMPTY = {
  known: 'What you type and what is fitted is kept here to take again.',
  shelf: 'Nothing on the Shelf goes into these slots.',
  offers: 'No offer goes into these slots.',
}
const from = ref<keyof typeof FROM>('known')
const items = computed<Source[]>(() =>
  from.value === 'known' ? props.kinds.map((k) => ({ ...k, note: '', left: true })) : props[from.value],
)
const emit = defineEmits<{ take: [module: Module]; grab: [module: Module, event: PointerEvent, typed: boolean] }>()
</script>

<template>
  <section class="panel tray" aria-label="Tray">
    <LabelEntry @place="emit('take', $event)" @grab="(module, event) => emit('grab', module, event, true)" />
    <div class="kinds">
      <h2 class="from" role="group" aria-label="Take from">
        <button v-for="(words, key) in FROM" :key="key" type="button" :aria-pressed="from === key" @click="from = key">
          {{ words }}
        </button>
      </h2>
      <div class="chips">
        <button
          v-for="item in items"
          :key="item.key"
          type="button"
          class="kind"
          :disabled="!mayWrite || !item.left"
          @pointerdown.prevent="emit('grab', item.module, $event, false)"
          @keydown.enter.prevent="emit('take', item.module)"
          @keydown.space.prevent="emit('take', item.module)">
          <span class="visually-hidden">Take another {{ moduleWords(item.module) }} in hand</span>
          <strong aria-hidden="true">{{ gb(item.module.capacity_gib) }}</strong>
          <span class="mono" aria-hidden="true"
            >{{ moduleLine(item.module) }}<br /><span class="faded">{{
              item.note || `${item.module.generation ?? 'generation ?'} ${voltsOf(item.module)}`
            }}</span>
            <template v-if="item.note && item.module.part"
              ><br /><span class="faded">{{ item.module.part }}</span></template
            ></span
          >
        </button>
        <p v-if="!items.length" class="faded small">{{ EMPTY[from] }}</p>
      </div>
    </div>
    <div class="out">
      <h2>Comes out</h2>
      <ul>
        <li v-for="item in outgoing" :key="item.key">
          <span v-if="item.count > 1">{{ item.count }} x </span><strong>{{ gb(item.module.capacity_gib) }} GB</strong
          >{{ ' ' }}
          <span class="mono">{{ moduleLine(item.module) }}</span>
        </li>
        <li v-if="!outgoing.length" class="faded">nothing in this plan</li>
      </ul>
    </div>
  </section>
</template>

<style scoped>
.tray {
  display: grid;
  grid-template-columns: minmax(0, 1.25fr) minmax(0, 1.25fr) minmax(0, 0.65fr);
  gap: 20px;
  padding: 10px 16px 8px;
  min-height: 150px;
}
.kinds,
.out {
  border-left: 1px solid var(--rule);
  padding-left: 16px;
  min-width: 0;
}
.chips {
  display: flex;
  flex-wrap: wrap;
  gap: 6px;
  margin-top: 6px;
  max-height: 104px;
  overflow-y: auto;
  padding: 1px;
}
.kind {
  display: flex;
  gap: 6px;
  align-items: center;
  padding: 4px 7px 4px 6px;
  border: 1px solid var(--module-edge);
  background: var(--module);
  color: var(--ink);
  border-radius: 2px;
  cursor: grab;
  font-size: 12px;
  line-height: 1.25;
  text-align: left;
  touch-action: pan-x pan-y;
}
.from {
  display: flex;
  gap: 14px;
}
.from button {
  color: var(--faded);
  font-weight: 600;
}
.from button[aria-pressed='true'] {
  color: var(--ink);
  text-decoration: underline;
  text-decoration-color: var(--umber);
  text-decoration-thickness: 2px;
  text-underline-offset: 5px;
}
.kind:disabled {
  opacity: 0.55;
  cursor: default;
}
.kind .faded {
  color: var(--ink);
  opacity: 0.85;
}
.kind strong {
  font-size: 16px;
}
.out ul {
  list-style: none;
  margin: 6px 0 0;
  padding: 0;
  font-size: 13px;
}
@media (max-width: 1100px) {
  .tray {
    grid-template-columns: minmax(0, 1.2fr) minmax(0, 1fr);
  }
  .out {
    grid-column: 1 / 3;
    border: 0;
    padding: 0;
    display: flex;
    gap: 12px;
    align-items: baseline;
  }
  .out ul {
    margin: 0;
    display: flex;
    flex-wrap: wrap;
    gap: 0 14px;
  }
}
@media (max-width: 800px) {
  .tray {
    grid-template-columns: minmax(0, 1fr);
  }
  .kinds {
    border: 0;
    padding: 0;
  }
  .out {
    grid-column: auto;
  }
}
</style>
