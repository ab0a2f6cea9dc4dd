<script setup lang="ts">
/** What a layout comes to in figures: rate and what binds it, bandwidth, balance and rail; of a plan cost and trouble. */
import { computed } from 'vue'
import type { Evaluation, Worth } from '@/api/client'
import { gb } from '@/ui/figures'
import RangeMark from '@/ui/RangeMark.vue'
import SeverityMark from '@/ui/SeverityMark.vue'
import { isOpen } from '@/ui/verdict'
import { volts } from '@/ui/words'
import { costWords, troubleWords } from '../worth'

const props = defineProps<{
  now: Evaluation
  goal: Evaluation
  /** A plan, of which cost and trouble are told once they are worked out. */ valued?: boolean
  worth?: Worth
}>()

const cost = computed(() => props.worth && costWords(props.worth))
const trouble = computed(() => props.worth && troubleWords(props.worth, isOpen(props.goal), props.goal.not_counted))

const BOUND_WORDS: Record<string, string> = {
  module: 'the modules',
  processor: 'the processor',
  population: 'how full the channels are',
  rail: 'the rail',
  board: 'the board',
  socket: 'another socket',
}
const bound = computed(() => [...new Set(props.goal.bound_by.map((b) => BOUND_WORDS[b.by] ?? b.by))].join(' and '))
const rateLower = computed(() => (props.now.data_rate_mts ?? 0) > (props.goal.data_rate_mts ?? Infinity))

const filled = computed(() => props.goal.sockets.filter((s) => s.gib > 0))
const least = <T,>(list: T[], of: (item: T) => number | null | undefined): number | null => {
  const known = list.map(of).filter((v): v is number => v !== null && v !== undefined)
  return known.length === list.length && known.length ? Math.min(...known) : null
}
const sustained = computed(() => least(filled.value, (s) => s.sustained_gbs))
const peak = computed(() => least(filled.value, (s) => s.peak_gbs))
const balance = computed(() => least(filled.value, (s) => s.balance))
const atBest = computed(() => filled.value.some((s) => s.at_best))
const fullest = computed(() => Math.max(1, ...props.goal.sockets.flatMap((s) => Object.values(s.channels))))
const regions = computed(() =>
  filled.value
    .filter((s) => s.regions.length > 1)
    .map((s) => `${s.id}: ${s.regions.map((r) => `${gb(r.gib)} GB ${r.ways}-way`).join(', ')}`),
)
/** Every channel a bar, as wide as lets all of them stand in the panel's width. [px] */
const PANEL = 80
const barWidth = computed(() => {
  const channels = props.goal.sockets.reduce((n, s) => n + Object.keys(s.channels).length, 0)
  return Math.max(1, Math.min(6, (PANEL - 4 * props.goal.sockets.length) / Math.max(1, channels) - 2))
})
const many = computed(() => props.goal.sockets.length > 1)
</script>

<template>
  <dl class="figures">
    <div>
      <dt>Rate</dt>
      <dd>
        <strong :class="{ slower: rateLower }">{{
          goal.data_rate_mts ? `${goal.data_rate_mts} MT/s` : 'not told'
        }}</strong>
      </dd>
      <dd v-if="goal.data_rate_mts" class="note">
        <template v-if="now.data_rate_mts && now.data_rate_mts !== goal.data_rate_mts"
          ><SeverityMark v-if="rateLower" severity="slow" :size="10" /> was {{ now.data_rate_mts }}; </template
        >bound by {{ bound }}
      </dd>
    </div>
    <div>
      <dt>Bandwidth</dt>
      <dd>
        <strong>{{ sustained === null ? 'not told' : `${gb(sustained)} GB/s` }}</strong>
      </dd>
      <dd v-if="sustained !== null" class="note">
        {{ many ? 'a socket' : 'the machine' }}{{ atBest ? ', at best' : ''
        }}<template v-if="peak !== sustained">; peak {{ gb(peak) }}</template>
      </dd>
    </div>
    <div>
      <dt>Balance</dt>
      <dd>
        <strong>{{
          balance === null ? (filled.length || goal.not_counted ? 'not told' : 'empty') : balance.toFixed(2)
        }}</strong>
      </dd>
      <dd class="note">
        <span class="bars" aria-hidden="true" :style="{ '--bar': `${barWidth}px` }">
          <template v-for="s in goal.sockets" :key="s.id">
            <i
              v-for="(gib, name) in s.channels"
              :key="name"
              :style="{ height: `${Math.max(2, (16 * gib) / fullest)}px` }"
              :class="{ none: !gib }"></i>
            <b></b>
          </template>
        </span>
        <span class="whole">rail {{ volts(goal.rails) }}</span>
        <small v-for="r in regions" :key="r">{{ r }}</small>
        <small v-if="many && goal.evenness !== null && goal.evenness !== 1"
          >sockets {{ goal.evenness?.toFixed(2) }} even</small
        >
      </dd>
    </div>
    <!-- What comes later has its place from the start: nothing below moves under a press. -->
    <template v-if="valued">
      <div class="later">
        <dt>Cost</dt>
        <dd>
          <strong>{{ cost?.figure }}</strong>
        </dd>
        <dd class="note">{{ cost ? cost.beside : 'is worked out' }}</dd>
      </div>
      <div class="later">
        <dt>Trouble</dt>
        <dd>
          <strong>{{ trouble?.figure }}</strong>
        </dd>
        <dd class="note">
          <RangeMark
            v-if="worth?.trouble"
            :at="worth.trouble"
            :low="worth.trouble_range.low"
            :high="worth.trouble_range.high" />
          {{ trouble?.beside }}
        </dd>
      </div>
    </template>
  </dl>
</template>

<style scoped>
dl {
  margin: 0 0 8px;
  padding-bottom: 8px;
  border-bottom: 1px solid var(--rule);
  font-size: 14px;
}
.figures > div {
  display: grid;
  grid-template-columns: 72px minmax(84px, auto) minmax(0, 1fr);
  gap: 0 10px;
  align-items: baseline;
  padding: 2px 0;
}
.figures > .later {
  /* two lines of the note, and the mark's height */
  min-height: 41px;
  align-content: start;
}
.note {
  font-size: 12.5px;
  line-height: 1.3;
  color: var(--faded);
}
@media (min-width: 700px) and (max-width: 1100px) {
  /* three lines in a narrower panel */
  .figures > .later {
    min-height: 57px;
  }
}
/* Beside it the range in words has room, so that two lines are enough. */
.note .range {
  width: 54px;
}
.whole {
  white-space: nowrap;
}
dt {
  color: var(--faded);
}
dd {
  margin: 0;
}
dd strong {
  font-weight: 650;
  white-space: nowrap;
}
dd small {
  display: block;
  font-size: 12.5px;
  color: var(--faded);
}
.slower {
  color: var(--slow);
}
.bars {
  display: inline-flex;
  flex-wrap: wrap;
  max-width: 100%;
  vertical-align: baseline;
  margin-right: 4px;
  align-items: flex-end;
  gap: 2px;
  min-height: 17px;
}
.bars i {
  width: var(--bar);
  background: var(--umber);
}
.bars i.none {
  background: var(--rule);
}
.bars b {
  width: 4px;
}
</style>
