<script setup lang="ts">
/** One sheet as text: its errors at their lines, its board, what is open in it, and what it would change on machines. */
import { computed, nextTick, onBeforeUnmount, ref, shallowRef, watch } from 'vue'
import { useRouter } from 'vue-router'
import { api, ask, faultsOf, type SheetPage, type Tried } from '@/api/client'
import BoardView from '@/board/BoardView.vue'
import { session } from '@/frame/session'
import ComingNote from '@/ui/ComingNote.vue'
import SeverityMark from '@/ui/SeverityMark.vue'
import { useTitle } from '@/ui/title'
import VerdictWord from '@/ui/VerdictWord.vue'
import { age, plural } from '@/ui/words'
import type { SheetEditor } from './editor'

const props = defineProps<{ hash: string }>()
const router = useRouter()
const page = shallowRef<SheetPage>()
const tried = shallowRef<Tried>()
/** The board of the last text that had one: it stands, dimmed, while the text has errors. */
const board = shallowRef<Tried['board']>()
const wrong = ref('')
const told = ref('')
const busy = ref(false)
const text = ref('')
const place = ref<HTMLElement>()
const draftOf = ref('')
let editor: SheetEditor | null = null
let asked: AbortController | null = null
useTitle(() => page.value?.sheet.title ?? 'Sheet')

const key = () => `umbrak-sheet-draft:${session.account?.id ?? ''}:${page.value?.sheet.sheet_id ?? ''}`
const changed = computed(() => text.value !== page.value?.text)

async function load(): Promise<void> {
  wrong.value = told.value = ''
  try {
    page.value = await ask(api.GET('/api/sheets/{hash_}/page', { params: { path: { hash_: props.hash } } }))
    // What was written here and not kept is still here, till it is kept or left.
    const draft = session.mayWrite() ? localStorage.getItem(key()) : null
    draftOf.value = draft && draft !== page.value.text ? draft : ''
    text.value = draftOf.value || page.value.text
    await edit()
  } catch (error) {
    wrong.value = faultsOf(error)
  }
}
async function edit(): Promise<void> {
  await nextTick()
  editor?.end()
  const { makeEditor } = await import('./editor')
  if (place.value) editor = makeEditor(place.value, text.value, write, !session.mayWrite())
  await judge()
}
function write(now: string): void {
  text.value = now
  told.value = ''
  try {
    if (now === page.value?.text) localStorage.removeItem(key())
    else localStorage.setItem(key(), now)
  } catch {
    // no room in the browser: the page itself still has it
  }
  void judge()
}
async function judge(): Promise<void> {
  asked?.abort()
  const mine = (asked = new AbortController())
  try {
    const found = await ask(api.POST('/api/sheets/tried', { body: { text: text.value }, signal: mine.signal }))
    if (asked !== mine) return
    tried.value = found
    if (found.board) board.value = found.board
    editor?.show([
      ...found.errors.map((f) => ({ line: f.line, column: f.column, message: `${f.path ? `${f.path}: ` : ''}${f.message}`, severity: 'error' as const })),
      ...found.findings.filter((f) => f.code !== 'fact-open').map((f) => ({ line: f.line, column: f.column, message: f.message, severity: 'warning' as const })),
    ])
  } catch (error) {
    if (!mine.signal.aborted) wrong.value = faultsOf(error)
  }
}
watch(() => props.hash, load, { immediate: true })
onBeforeUnmount(() => {
  editor?.end()
  asked?.abort()
})

async function keep(): Promise<void> {
  busy.value = true
  wrong.value = ''
  try {
    const kept = await ask(api.POST('/api/sheets', { body: { text: text.value } }))
    localStorage.removeItem(key())
    if (kept.sheet.hash === props.hash) await load()
    else await router.replace(`/sheets/${kept.sheet.hash}`)
  } catch (error) {
    wrong.value = faultsOf(error)
  } finally {
    busy.value = false
  }
}
function leave(): void {
  localStorage.removeItem(key())
  void load()
}
async function takeOver(): Promise<void> {
  busy.value = true
  wrong.value = ''
  try {
    const { taken, refused } = await ask(api.POST('/api/sheets/{sheet_id}/taken', { params: { path: { sheet_id: page.value!.sheet.sheet_id } } }))
    told.value = taken.length ? `${plural(taken.length, 'machine')} under this revision now: ${taken.join(', ')}.` : 'Every machine is under this revision already.'
    wrong.value = Object.entries(refused)
      .map(([name, why]) => `${name}: ${why}`)
      .join(' ')
    await judge()
  } catch (error) {
    wrong.value = faultsOf(error)
  } finally {
    busy.value = false
  }
}
const MARKS = { stop: 'stop', slow: 'slow', cost: 'risk' } as const
const newest = computed(() => page.value?.revisions[0]?.hash === props.hash)
/** Another model begins as this one: under an id and a title of its own. */
const copied = computed(() => !!tried.value?.id && tried.value.id !== page.value?.sheet.sheet_id)
</script>

<template>
  <div class="page sheet">
    <header>
      <h1>{{ tried?.title || page?.sheet.title || 'Sheet' }}</h1>
      <span v-if="page" class="faded">revision {{ page.sheet.revision }}{{ newest ? '' : `, not the newest` }}; {{ [page.uses.machines && plural(page.uses.machines, 'machine'), page.uses.plans && plural(page.uses.plans, 'plan')].filter(Boolean).join(', ') || 'nothing stands on it' }}</span>
      <router-link class="quiet-link back" to="/sheets">Back to the sheets</router-link>
    </header>
    <p v-if="wrong" class="wrong" role="alert">{{ wrong }}</p>
    <p v-if="told" role="status">{{ told }}</p>
    <p v-if="draftOf && changed" class="small left" role="status">This was written before and not kept. <button type="button" class="quiet-link" @click="leave">Leave it, back to revision {{ page?.sheet.revision }}</button></p>
    <ComingNote v-if="!page && !wrong" what="The sheet" />
    <div v-show="page" class="columns">
      <section class="panel text" aria-label="As text">
        <div ref="place" class="editor"></div>
        <div class="do">
          <button v-if="session.mayWrite()" type="button" class="press" :disabled="busy || !changed || !!tried?.errors.length || !!tried?.kept_as" @click="keep">{{ copied ? `Keep as a new sheet, ${tried?.id}` : `Keep as revision ${tried?.revision ?? '?'}` }}</button>
          <span v-if="tried?.errors.length" class="small wrong">{{ plural(tried.errors.length, 'error') }}: <button type="button" class="quiet-link" @click="editor?.goTo(tried.errors[0]!.line ?? 1)">{{ tried.errors[0]!.line ? `line ${tried.errors[0]!.line}` : 'see it' }}</button> {{ tried.errors[0]!.path }} {{ tried.errors[0]!.message }}</span>
          <span v-else-if="tried?.kept_as && changed" class="small faded">Says what a kept revision says.</span>
          <span v-else-if="!changed" class="small faded">As it is kept. Another model like it: change id and title.</span>
        </div>
      </section>
      <div class="side">
        <section class="panel picture" :class="{ dim: tried?.errors.length }" aria-label="Its board">
          <BoardView v-if="board" :board="board" :now="{}" :goal="{}" :order="board.slots.length <= 8" />
        </section>
        <section v-if="tried && !tried.errors.length" class="panel open" aria-label="What is open in it">
          <h2>
            {{ tried.open.length ? `${plural(tried.open.length, 'fact')} open, worst first` : 'Every fact is told or looked for' }}
            <span v-if="tried.facts" class="faded small">{{ tried.facts.told }} told{{ tried.facts.untold ? `, ${tried.facts.untold} not in its guide` : '' }}</span>
          </h2>
          <ul>
            <li v-for="f in tried.open" :key="f.fact"><SeverityMark :severity="MARKS[f.harm as 'stop']" /> <span>{{ f.what }}? <span class="faded small">Could hide {{ f.hides }}. {{ f.where[0]!.toUpperCase() + f.where.slice(1) }}.</span></span></li>
          </ul>
          <ul v-if="tried.findings.some((f) => f.code !== 'fact-open')" aria-label="What the linter says" class="small">
            <li v-for="f in tried.findings.filter((x) => x.code !== 'fact-open')" :key="f.message + f.line"><button type="button" class="quiet-link" @click="editor?.goTo(f.line ?? 1)">line {{ f.line }}</button> <span>{{ f.message }}</span></li>
          </ul>
        </section>
        <section v-if="tried && !tried.errors.length && tried.machines" class="panel changes" aria-label="What it would change">
          <h2>{{ tried.changes.length ? `It would judge ${plural(tried.changes.length, 'layout')} otherwise` : 'It judges no layout otherwise' }} <span class="faded small">tried on {{ tried.tried_on }} of {{ plural(tried.machines, 'machine') }}</span></h2>
          <ul>
            <li v-for="c in tried.changes" :key="c.machine_id + c.layout"><router-link class="quiet-link" :to="`/machines/${c.machine_id}/fit`">{{ c.machine }}</router-link> {{ c.layout }}: <VerdictWord :of="{ verdict: c.was }" :size="11" /> → <VerdictWord :of="{ verdict: c.verdict }" :size="11" /></li>
          </ul>
          <button v-if="session.mayWrite() && newest && !changed && tried.behind" type="button" class="press slim" :disabled="busy" @click="takeOver">Bring {{ plural(tried.behind, 'machine') }} under this revision</button>
        </section>
        <section v-if="page && page.revisions.length > 1" class="panel small" aria-label="Revisions">
          <h2>Revisions</h2>
          <ul>
            <li v-for="r in page.revisions" :key="r.hash"><router-link class="quiet-link" :to="`/sheets/${r.hash}`" :aria-current="r.hash === hash ? 'page' : undefined">{{ r.revision }}</router-link> <span class="faded">{{ age(r.at) }}</span></li>
          </ul>
        </section>
        <section v-if="page?.doubts.length" class="panel small" aria-label="Clauses in doubt">
          <h2>{{ plural(page.doubts.length, 'clause') }} in doubt</h2>
          <ul>
            <li v-for="d in page.doubts" :key="d.id"><b>{{ d.clause }}</b> <span>{{ d.words }} <span class="faded">{{ d.by }}, {{ age(d.at) }}</span></span></li>
          </ul>
        </section>
      </div>
    </div>
  </div>
</template>

<style scoped>
header {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 16px;
  align-items: baseline;
}
.back {
  margin-left: auto;
}
.columns {
  display: grid;
  grid-template-columns: minmax(0, 1.1fr) minmax(0, 1fr);
  gap: 1px;
  align-items: start;
}
.editor {
  height: calc(100vh - 150px);
  min-height: 320px;
}
.do {
  display: flex;
  flex-wrap: wrap;
  gap: 6px 14px;
  align-items: center;
  padding: 8px 16px;
  border-top: 1px solid var(--rule);
}
.picture {
  height: min(330px, 44vh);
  padding: 6px 10px;
}
.dim {
  opacity: 0.45;
}
.side .panel:not(.picture) {
  padding: 10px 16px;
}
h2 span {
  font-weight: 400;
  margin-left: 8px;
}
ul {
  list-style: none;
  margin: 6px 0;
  padding: 0;
  display: grid;
  gap: 4px;
  font-size: 14px;
}
li {
  display: flex;
  gap: 8px;
  align-items: baseline;
}
@media (max-width: 900px) {
  .columns {
    grid-template-columns: minmax(0, 1fr);
  }
  .editor {
    height: 60vh;
  }
}
</style>
