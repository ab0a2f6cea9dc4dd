<script setup lang="ts">
/** What the sheet says now: findings that lead to their questions, some fills, what is open by harm, what it would change on machines. */
import { computed } from 'vue'
import type { SampleFill } from '@/api/client'
import BoardGlyph from '@/board/BoardGlyph.vue'
import { gb } from '@/ui/figures'
import SeverityMark from '@/ui/SeverityMark.vue'
import VerdictWord from '@/ui/VerdictWord.vue'
import { plural, short } from '@/ui/words'
import { work } from './work'

const emit = defineEmits<{ question: [key: string]; line: [line: number]; taken: [] }>()
defineProps<{ asText: boolean; mayTake: boolean }>()
const w = work()
const said = computed(() => w.seen.value?.said ?? [])
const shown = computed(() => w.last.value)
const wordsOfQuestion = (key: string | null | undefined) => {
  const q = w.questions.value.find((x) => x.key === key)
  return q ? `${w.askOf(q).section} ${w.asks.value!.sections[w.askOf(q).section - 1]}` : ''
}
function glyph(fill: SampleFill) {
  const board = shown.value!.board!
  const filled = new Set(fill.slots)
  return board.sockets.slice(0, 2).map((s) => {
    const channels = board.channels.filter((c) => c.socket === s.id)
    return {
      socket: s.id,
      slots: channels
        .flatMap((c) => c.slots.map((x) => (filled.has(x) ? (fill.verdict === 'no-go' ? 'b' : 'f') : 'e')))
        .join('')
        .slice(0, 16),
      soldered: channels.filter((c) => c.soldered).length,
    }
  })
}
const HARMS = [
  { harm: 'stop', words: 'a stop', mark: 'stop' },
  { harm: 'slow', words: 'a slower rate', mark: 'slow' },
  { harm: 'cost', words: 'warranty or protection', mark: 'risk' },
] as const
const groups = computed(() =>
  HARMS.map((h) => ({ ...h, facts: (w.seen.value?.open ?? []).filter((f) => f.harm === h.harm) })).filter(
    (g) => g.facts.length,
  ),
)
const lead = (s: { question: string | null; fault: { line: number | null } }, asText: boolean) =>
  asText || !s.question ? emit('line', s.fault.line ?? 1) : emit('question', s.question)
</script>

<template>
  <div class="says">
    <section aria-label="What the sheet says now">
      <h2>What the sheet says now</h2>
      <p v-if="!said.length" class="small faded">Nothing is wrong with it.</p>
      <ul>
        <li v-for="(s, i) in said.slice(0, 12)" :key="i">
          <SeverityMark :severity="s.wrong ? 'stop' : 'slow'" />
          <button type="button" class="lead" @click="lead(s, asText)">
            <span>{{ s.fault.message }}</span>
            <span class="small faded">{{
              asText || !s.question ? `line ${s.fault.line ?? 1}` : wordsOfQuestion(s.question)
            }}</span>
          </button>
        </li>
      </ul>
      <p v-if="said.length > 12" class="small faded">and {{ said.length - 12 }} more</p>
    </section>
    <section
      v-if="shown?.fills.length && shown.board"
      :class="{ dim: w.errors.value.length }"
      aria-label="Sample fills">
      <h2>
        Sample fills
        <span class="mono faded small">{{ w.errors.value.length ? 'as last read, ' : '' }}{{ shown.module }}</span>
      </h2>
      <ul class="fills">
        <li v-for="(f, i) in [...shown.fills, ...(shown.forbidden ? [shown.forbidden] : [])]" :key="i">
          <b class="modules">{{ f.modules }}</b>
          <span class="where"><BoardGlyph :groups="glyph(f)" /></span>
          <span class="figure">{{ gb(f.gib) }} <span class="faded small">GB</span></span>
          <span class="figure">{{ f.data_rate_mts ?? '–' }} <span class="faded small">MT/s</span></span>
          <span
            class="bar"
            :class="{ bare: f.balance === null }"
            :style="{ '--part': f.balance ?? 0 }"
            :title="f.balance === null ? 'a processor has none' : `balance ${f.balance.toFixed(2)}`"></span>
          <span class="words small">
            <VerdictWord :of="{ verdict: f.verdict }" :size="11" />
            <button
              v-if="f.question"
              type="button"
              class="lead words-of"
              :title="f.words"
              @click="emit('question', f.question)">
              {{ short(f.words, 88) }}
            </button>
            <span v-else class="words-of" :title="f.words">{{ short(f.words, 88) || 'nothing against it' }}</span>
          </span>
        </li>
      </ul>
      <p v-if="!shown.forbidden" class="small faded">Of what was tried nothing is forbidden.</p>
    </section>
    <p v-else-if="w.seen.value?.board" class="small faded none">
      No sample fills: it is not told which kinds it takes.
    </p>
    <section v-if="!w.errors.value.length && w.seen.value" aria-label="What is open in it">
      <h2>
        {{
          w.seen.value.open.length
            ? `${plural(w.seen.value.open.length, 'fact')} open, by what they could hide`
            : 'Every fact is told or looked for'
        }}
      </h2>
      <ul>
        <li v-for="g in groups" :key="g.harm">
          <SeverityMark :severity="g.mark" />
          <span
            ><b>{{ g.facts.length }}</b> {{ g.words
            }}<template v-for="f in g.facts" :key="f.fact"
              ><button v-if="f.question" type="button" class="lead fact" @click="emit('question', f.question)">
                {{ f.what }}</button
              ><span v-else class="fact">{{ f.what }}</span></template
            ></span
          >
        </li>
      </ul>
    </section>
    <section v-if="w.tried.value?.machines && !w.errors.value.length" aria-label="What it would change">
      <h2>
        {{
          w.tried.value.changes.length
            ? `Would change ${plural(w.tried.value.changes.length, 'layout')}`
            : 'It judges no layout otherwise'
        }}
        <span class="faded small"
          >tried on {{ w.tried.value.tried_on }} of {{ plural(w.tried.value.machines, 'machine') }}</span
        >
      </h2>
      <ul>
        <li v-for="c in w.tried.value.changes" :key="c.machine_id + c.layout">
          <router-link class="quiet-link" :to="`/machines/${c.machine_id}/fit`">{{ c.machine }}</router-link>{{ ' ' }}
          <span
            >{{ c.layout }}: <VerdictWord :of="{ verdict: c.was }" :size="11" /> →
            <VerdictWord :of="{ verdict: c.verdict }" :size="11"
          /></span>
        </li>
      </ul>
      <button v-if="mayTake && w.tried.value.behind" type="button" class="press slim" @click="emit('taken')">
        Bring {{ plural(w.tried.value.behind, 'machine') }} under this revision
      </button>
    </section>
    <slot />
  </div>
</template>

<style scoped>
section,
.none {
  margin: 0;
  padding: 10px 16px;
  border-bottom: 1px solid var(--rule);
}
h2 {
  margin-bottom: 4px;
}
h2 span {
  font-weight: 400;
  margin-left: 8px;
}
ul {
  list-style: none;
  margin: 4px 0;
  padding: 0;
  display: grid;
  gap: 6px;
  font-size: 14px;
}
li {
  display: grid;
  grid-template-columns: auto minmax(0, 1fr);
  gap: 8px;
  align-items: baseline;
}
.lead {
  display: grid;
  padding: 0;
  border: 0;
  background: none;
  color: var(--ink);
  font: inherit;
  text-align: left;
  cursor: pointer;
}
.lead:hover span:first-child {
  text-decoration: underline;
}
.fact {
  display: block;
  min-height: 24px;
  color: var(--umber);
  font-weight: 650;
}
.fills {
  gap: 8px;
}
.fills > li {
  grid-template-columns: 24px 96px 1fr 1fr 36px;
  gap: 0 8px;
  align-items: center;
}
.where :deep(svg) {
  max-width: 96px;
  height: auto;
}
.figure {
  text-align: right;
  white-space: nowrap;
  font-variant-numeric: tabular-nums;
}
.bar {
  width: 34px;
  height: 6px;
  background: linear-gradient(90deg, var(--umber) calc(100% * var(--part)), var(--rule) 0);
}
.words {
  grid-column: 2 / -1;
  display: flex;
  gap: 6px;
  align-items: baseline;
  min-width: 0;
}
.words > :first-child {
  flex: none;
}
.words-of {
  display: block;
  min-width: 0;
  font-size: inherit;
  color: var(--faded);
}
/* Without colour, and as readable. */
.dim {
  filter: grayscale(1);
}
</style>
