<script setup lang="ts">
/** The verdict: total now and after, rate and what binds it, rail, balance, findings worst first. */
import { computed, ref } from 'vue'
import type { Board, Cure, Evaluation, Finding, More, Question, Worth } from '@/api/client'
import { counted, gb, gbDown, gbUp } from '@/ui/figures'
import SeverityMark from '@/ui/SeverityMark.vue'
import { isOpen } from '@/ui/verdict'
import RangeMark from '@/ui/RangeMark.vue'
import VerdictWord from '@/ui/VerdictWord.vue'
import { volts } from '@/ui/words'
import { money, percent } from '../routes/words'
import { costWords, likeWords, troubleWords } from '../worth'
import AnswerFirst from './AnswerFirst.vue'
import FindingList from './FindingList.vue'
import type { NextStep } from './next'

const props = defineProps<{ now: Evaluation; goal: Evaluation; done: { label: string; words: string }[]; cures: (Cure | null)[]; board: Board; questions: Question[]; mayAnswer: boolean; machineId: string; today?: Evaluation['verdict'] | null; proved?: Evaluation['verdict'] | null; need?: number | null; /** A plan, of which cost and trouble are told once they are worked out. */ valued?: boolean; worth?: Worth; more?: More | null; looking?: boolean; next?: NextStep[] }>()
defineEmits<{ more: [more: More];  point: [finding: Finding | null]; cure: [cure: Cure]; answer: [facts: Question['answers'][number]['facts'], byPart: boolean] }>()

/** Need is compared with what is usable, and never rounded to be met. [GB] */
const short = computed(() => (props.need ?? 0) - props.goal.usable_gib)
/** Where nobody tells what the machine keeps for itself, its usable total is no more than what is fitted. */
const atMost = computed(() => (props.goal.tolerance_gib === null && !props.goal.not_counted ? 'at most ' : ''))
const part = (gib: number) => `${(100 * gib) / Math.max(props.need ?? 0, props.goal.usable_gib, props.now.usable_gib, 1)}%`
const showHeld = ref(false)
const showLimits = ref(false)

/** Limits in force, the one with the least headroom first; of one limit at many places, the fullest. */
const limits = computed(() => {
  const fullest = new Map<string, Evaluation['limits'][number] & { share: number; places: number }>()
  for (const l of props.goal.limits) {
    const key = [l.scope, l.unit, l.limit, l.source.title, l.source.clause, l.hard].join('|')
    const share = l.limit ? l.used / l.limit : 0
    const known = fullest.get(key)
    fullest.set(key, known && known.share >= share ? { ...known, places: known.places + 1 } : { ...l, share, places: (known?.places ?? 0) + 1 })
  }
  return [...fullest.values()].sort((a, b) => b.share - a.share || Number(b.hard) - Number(a.hard))
})
const UNITS: Record<string, string> = { GiB: 'GB', Gbit: 'Gbit', ranks: 'ranks', high: 'high' }
const placeOf = (where: string, scope: string) => (where === 'machine' ? (scope === 'die' ? 'dies' : scope === 'stack' ? 'stacks' : 'machine') : where)

/** What was open or at risk when the work began, the machine has answered. */
const verdict = computed(() => (props.proved ? { verdict: props.proved } : props.goal))
const cost = computed(() => props.worth && costWords(props.worth))
const trouble = computed(() => props.worth && troubleWords(props.worth, isOpen(props.goal)))
const moreWords = computed(() => props.more && Object.entries(props.more.parts).map(([part, n]) => `${n} x ${part || 'what is fitted'}`).join(', '))

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
  <section class="panel verdict" aria-labelledby="verdict-title">
    <div class="head">
      <h2 id="verdict-title">Verdict</h2>
      <VerdictWord class="word" :of="verdict" :proved="Boolean(proved)" :size="15" />
    </div>
    <p class="total">
      <template v-if="goal.installed_gib !== now.installed_gib">
        <span class="was">{{ counted(now.installed_gib, now.not_counted) }}</span>
        <span class="arrow" aria-label="to">→</span>
      </template>
      <strong>{{ counted(goal.installed_gib, goal.not_counted) }}</strong> <span class="unit">GB</span>
      <span class="beside faded">
        usable {{ atMost }}<b>{{ counted(goal.usable_gib, goal.not_counted, gbDown) }}</b>
        <template v-if="goal.tolerance_gib"><br />± {{ gbUp(goal.tolerance_gib) }}</template>
      </span>
    </p>
    <div v-if="need" class="need" :class="short > 0 ? 'lacks' : 'met'">
      <p><strong>{{ short > 0 ? `${goal.not_counted ? 'at most ' : ''}${gbUp(short)} GB short of need` : `need met, ${atMost}${gbDown(-short)} GB over` }}</strong> <span class="faded">need {{ gbUp(need) }}</span></p>
      <div class="bar" aria-hidden="true"><i class="now" :style="{ width: part(Math.min(now.usable_gib, goal.usable_gib)) }"></i><i v-if="goal.usable_gib > now.usable_gib" class="plan" :style="{ left: part(now.usable_gib), width: part(goal.usable_gib - now.usable_gib) }"></i><i v-if="short > 0" class="gap" :style="{ left: part(goal.usable_gib), width: part(short) }"></i><i class="gate" :style="{ left: part(need) }"></i></div>
      <p v-if="short > 0" class="fix small" aria-live="polite">
        <template v-if="more">
          <button v-if="mayAnswer" type="button" class="quiet-link" @click="$emit('more', more)">with {{ moreWords }}: {{ gb(more.installed_gib) }} {{ Number(more.cost) ? `for ${money(more.cost, more.currency)}` : 'from the Shelf' }}</button>
          <span v-else>with {{ moreWords }}: {{ gb(more.installed_gib) }} {{ Number(more.cost) ? `for ${money(more.cost, more.currency)}` : 'from the Shelf' }}</span>
          <VerdictWord :of="more" :size="11" />
        </template>
        <template v-else>
          <span v-if="looking" class="faded">looking for what would meet it</span>
          <span v-else-if="more === null" class="faded">nothing at hand meets it from here</span>
          <router-link class="quiet-link" :to="`/machines/${machineId}/routes`">Ways to more</router-link>
        </template>
      </p>
    </div>
    <dl class="figures">
      <div>
        <dt>Rate</dt>
        <dd><strong :class="{ slower: rateLower }">{{ goal.data_rate_mts ? `${goal.data_rate_mts} MT/s` : 'not told' }}</strong></dd>
        <dd v-if="goal.data_rate_mts" class="note"><template v-if="now.data_rate_mts && now.data_rate_mts !== goal.data_rate_mts"><SeverityMark v-if="rateLower" severity="slow" :size="10" /> was {{ now.data_rate_mts }}; </template>bound by {{ bound }}</dd>
      </div>
      <div>
        <dt>Bandwidth</dt>
        <dd><strong>{{ sustained === null ? 'not told' : `${gb(sustained)} GB/s` }}</strong></dd>
        <dd v-if="sustained !== null" class="note">{{ many ? 'a socket' : 'the machine' }}{{ atBest ? ', at best' : '' }}<template v-if="peak !== sustained">; peak {{ gb(peak) }}</template></dd>
      </div>
      <div>
        <dt>Balance</dt>
        <dd><strong>{{ balance === null ? (filled.length || goal.not_counted ? 'not told' : 'empty') : balance.toFixed(2) }}</strong></dd>
        <dd class="note">
        <span class="bars" aria-hidden="true" :style="{ '--bar': `${barWidth}px` }">
          <template v-for="s in goal.sockets" :key="s.id">
            <i v-for="(gib, name) in s.channels" :key="name" :style="{ height: `${Math.max(2, (16 * gib) / fullest)}px` }" :class="{ none: !gib }"></i>
            <b></b>
          </template>
        </span>
          <span class="whole">rail {{ volts(goal.rails) }}</span>
          <small v-for="r in regions" :key="r">{{ r }}</small>
          <small v-if="many && goal.evenness !== null && goal.evenness !== 1">sockets {{ goal.evenness?.toFixed(2) }} even</small>
        </dd>
      </div>
      <!-- What comes later has its place from the start: nothing below moves under a press. -->
      <template v-if="valued">
        <div class="later">
          <dt>Cost</dt>
          <dd><strong>{{ cost?.figure }}</strong></dd>
          <dd class="note">{{ cost ? cost.beside : 'is worked out' }}</dd>
        </div>
        <div class="later">
          <dt>Trouble</dt>
          <dd><strong>{{ trouble?.figure }}</strong></dd>
          <dd class="note"><RangeMark v-if="worth?.trouble" :at="worth.trouble" :low="worth.trouble_range.low" :high="worth.trouble_range.high" /> {{ trouble?.beside }}</dd>
        </div>
      </template>
    </dl>
    <div class="scrolling" tabindex="0" role="group" aria-label="Findings and limits">
      <AnswerFirst v-if="questions.length" :questions="questions" :may-answer="mayAnswer" :machine-id="machineId" @answer="(facts, byPart) => $emit('answer', facts, byPart)" />
      <h2>Findings</h2>
      <FindingList :findings="goal.findings" :cures="cures" :board="board" @point="$emit('point', $event)" @cure="$emit('cure', $event)" />
      <div class="held">
        <span><SeverityMark severity="go" /> {{ goal.held.length }} {{ goal.held.length === 1 ? 'rule holds' : 'rules hold' }}</span>
        <button type="button" class="quiet-link" :aria-expanded="showHeld" @click="showHeld = !showHeld">
          {{ showHeld ? 'hide' : 'show' }}
        </button>
      </div>
      <p v-if="showHeld" class="mono codes">{{ goal.held.join(', ') }}</p>
      <template v-if="limits.length">
        <h2>{{ showLimits ? 'Limits' : 'Tightest limit' }}</h2>
        <ul class="limits">
          <li v-for="(l, i) in showLimits ? limits : limits.slice(0, 1)" :key="i">
            <span class="where">{{ placeOf(l.where, l.scope) }}</span>
            <span class="track" :class="{ over: l.share > 1 }"><i :style="{ width: `${Math.min(100, 100 * l.share)}%` }"></i></span>
            <span class="figures">{{ gb(l.used) }} of {{ gb(l.limit) }} {{ UNITS[l.unit] ?? l.unit }}</span>
            <small>{{ l.places > 1 ? `fullest ${l.scope} of ${l.places}; ` : '' }}{{ l.source.title }}{{ l.source.clause ? `, ${l.source.clause}` : '' }}{{ l.hard ? '; hard' : '' }}</small>
          </li>
        </ul>
        <button v-if="limits.length > 1" type="button" class="quiet-link more" :aria-expanded="showLimits" @click="showLimits = !showLimits">
          {{ showLimits ? 'only the tightest' : `${limits.length - 1} more` }}
        </button>
      </template>
      <template v-if="done.length || $slots['runs-with']">
        <h2>What is done</h2>
        <dl class="done">
          <template v-if="$slots['runs-with']">
            <dt>runs with</dt>
            <dd><slot name="runs-with" /><small v-if="today">with what runs today: <VerdictWord :of="{ verdict: today }" :size="11" /></small></dd>
          </template>
          <template v-if="$slots['stages']">
            <dt>fitted</dt>
            <dd><slot name="stages" /></dd>
          </template>
          <template v-for="c in done" :key="c.label + c.words">
            <dt>{{ c.label }}</dt>
            <dd>{{ c.words }}</dd>
          </template>
        </dl>
      </template>
      <!-- It comes later, so it stands last. -->
      <template v-if="worth?.rests_on.length">
        <h2>Rests on what nobody vouches for</h2>
        <p v-for="w in worth.rests_on" :key="w" class="rests small">{{ w }}</p>
        <p class="rests small">Quirks {{ percent(worth.quirks) }}: it runs, and something is shown oddly; that is no trouble.</p>
      </template>
      <p v-if="worth && likeWords(worth)" class="rests small faded">{{ likeWords(worth) }}</p>
    </div>
    <ol v-if="next?.length" class="next" aria-label="Next">
      <li class="title" aria-hidden="true">Next</li>
      <li v-for="(n, i) in next" :key="n.words" :class="{ first: i === 0 }"><i aria-hidden="true"></i><router-link v-if="n.to" class="quiet-link" :to="`/machines/${machineId}/${n.to}`">{{ n.words }}</router-link><span v-else>{{ n.words }}</span></li>
    </ol>
  </section>
</template>

<style scoped>
.need {
  padding: 2px 0 8px;
}
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
.verdict {
  display: flex;
  flex-direction: column;
  padding: 12px 12px 10px 16px;
  min-height: 0;
}
.head {
  display: flex;
  justify-content: space-between;
}
.word {
  justify-content: flex-end;
  text-align: right;
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
.next {
  display: flex;
  list-style: none;
  margin: 0 -12px 0 -16px;
  padding: 10px 12px 2px 16px;
  border-top: 1px solid var(--rule);
  font-size: 13px;
}
.next li {
  position: relative;
  flex: 1;
  padding: 14px 6px 0 0;
  color: var(--faded);
  line-height: 1.25;
}
.next .title {
  flex: 0 0 50px;
  padding-top: 0;
  color: var(--ink);
  font-weight: 650;
}
.next li + li::before {
  content: '';
  position: absolute;
  left: 0;
  right: 0;
  top: 6px;
  height: 2px;
  background: var(--brass);
}
.next li:last-child::before {
  right: auto;
  width: 6px;
}
.next i {
  position: absolute;
  left: 0;
  top: 1px;
  width: 11px;
  height: 11px;
  border: 2px solid var(--ink);
  border-radius: 50%;
  background: var(--sheet);
}
.next .first {
  color: var(--umber);
  font-weight: 650;
}
.next .first i {
  border-color: var(--umber);
}
.total {
  display: flex;
  align-items: baseline;
  gap: 6px;
  margin: 4px 0 6px;
  padding-bottom: 8px;
  border-bottom: 1px solid var(--rule);
}
.total strong {
  font-size: 36px;
  line-height: 1;
}
@media (max-width: 1100px) {
  .total strong {
    font-size: 31px;
  }
}
.was,
.arrow {
  font-size: 23px;
  color: var(--faded);
}
.unit {
  font-size: 17px;
  color: var(--faded);
}
.beside {
  margin-left: auto;
  font-size: 13px;
  line-height: 1.25;
  text-align: right;
  align-self: center;
  white-space: nowrap;
}
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
.rests {
  margin: 0;
  padding: 2px 8px;
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
.scrolling {
  overflow-y: auto;
  min-height: 0;
  margin: 2px -6px 0 -8px;
}
.scrolling h2 {
  padding: 8px 8px 2px;
}
.held {
  display: flex;
  justify-content: space-between;
  padding: 5px 8px;
  font-size: 14px;
}
.held span {
  display: flex;
  gap: 9px;
  align-items: center;
  color: var(--go);
  font-weight: 600;
}
.codes {
  margin: 0;
  padding: 0 8px 6px;
  font-size: 12px;
  color: var(--faded);
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
.done {
  display: grid;
  gap: 3px 8px;
  grid-template-columns: 62px minmax(0, 1fr);
  padding: 0 8px;
  border: 0;
  margin-bottom: 2px;
  font-size: 13px;
}
</style>
