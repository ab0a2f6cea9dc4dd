<script setup lang="ts">
/** The limits in force, the tightest alone until all are asked for. */
import { computed, ref } from 'vue'
import type { Evaluation } from '@/api/client'
import { gb } from '@/ui/figures'

const props = defineProps<{ of: Evaluation['limits'] }>()
const all = ref(false)

/** Limits in force, the one with the least headroom first; of one limit at many places, the fullest. */
const limits = computed(() => {
  const fullest = new Map<string, Evaluation['limits'][number] & { share: number; places: number }>()
  for (const l of props.of) {
    const key = [l.scope, l.unit, l.limit, l.source.title, l.source.clause, l.hard].join('|')
    const share = l.limit ? l.used / l.limit : 0
    const known = fullest.get(key)
    fullest.set(
      key,
      known && known.share >= share
        ? { ...known, places: known.places + 1 }
        : { ...l, share, places: (known?.places ?? 0) + 1 },
    )
  }
  return [...fullest.values()].sort((a, b) => b.share - a.share || Number(b.hard) - Number(a.hard))
})
const UNITS: Record<string, string> = { GiB: 'GB', Gbit: 'Gbit', ranks: 'ranks', high: 'high' }
const placeOf = (where: string, scope: string) =>
  where === 'machine' ? (scope === 'die' ? 'dies' : scope === 'stack' ? 'stacks' : 'machine') : where
</script>

<template>
  <template v-if="limits.length">
    <h2>{{ all ? 'Limits' : 'Tightest limit' }}</h2>
    <ul class="limits">
      <li v-for="(l, i) in all ? limits : limits.slice(0, 1)" :key="i">
        <span class="where">{{ placeOf(l.where, l.scope) }}</span>
        <span class="track" :class="{ over: l.share > 1 }"
          ><i :style="{ width: `${Math.min(100, 100 * l.share)}%` }"></i
        ></span>
        <span class="figures">{{ gb(l.used) }} of {{ gb(l.limit) }} {{ UNITS[l.unit] ?? l.unit }}</span>
        <small
          >{{ l.places > 1 ? `fullest ${l.scope} of ${l.places}; ` : '' }}{{ l.source.title
          }}{{ l.source.clause ? `, ${l.source.clause}` : '' }}{{ l.hard ? '; hard' : '' }}</small
        >
      </li>
    </ul>
    <button v-if="limits.length > 1" type="button" class="quiet-link more" :aria-expanded="all" @click="all = !all">
      {{ all ? 'only the tightest' : `${limits.length - 1} more` }}
    </button>
  </template>
</template>

<style scoped>
h2 {
  padding: 8px 8px 2px;
}
.limits {
  list-style: none;
  margin: 0;
  padding: 0 8px;
  display: grid;
  gap: 5px;
  font-size: 13px;
}
.limits li {
  display: grid;
  grid-template-columns: minmax(52px, auto) minmax(0, 1fr) auto;
  gap: 0 8px;
  align-items: center;
}
.limits small {
  grid-column: 1 / 4;
  color: var(--faded);
  font-size: 12px;
}
.track {
  height: 5px;
  background: var(--rule);
}
.track i {
  display: block;
  height: 5px;
  background: var(--umber);
}
.track.over i {
  background: var(--risk);
}
.more {
  padding: 2px 8px;
}
</style>
