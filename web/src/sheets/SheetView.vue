<script setup lang="ts">
/** The workbench of one sheet: its questions or its text, the board on which one answers too, and what it says now. */
import { computed, nextTick, ref, shallowRef, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { api, ask, faultsOf, type ClauseChange } from '@/api/client'
import BoardView from '@/board/BoardView.vue'
import { session } from '@/frame/session'
import ComingNote from '@/ui/ComingNote.vue'
import { isTyping, useKeys } from '@/ui/keys'
import { useTitle } from '@/ui/title'
import { age, plural } from '@/ui/words'
import ClauseChanges from './ClauseChanges.vue'
import DoubtList from './DoubtList.vue'
import QuestionsPane from './QuestionsPane.vue'
import SaysPane from './SaysPane.vue'
import TextPane from './TextPane.vue'
import { useWork } from './work'

const props = defineProps<{ hash?: string; draftId?: string }>()
const route = useRoute()
const router = useRouter()
const w = useWork(
  (hash) =>
    void (hash && hash !== props.hash ? router.replace(`/sheets/${hash}`) : hash ? load() : router.replace('/sheets')),
)
const { page, draft, seen, last, tried, wrong, touching } = w
const asText = ref(false)
const open = ref('')
const told = ref('')
const why = ref('')
const keeping = ref(false)
const compared = shallowRef<{ changes: ClauseChange[]; was: string; now: string } | null>(null)
const text = ref<InstanceType<typeof TextPane>>()
const questions = ref<InstanceType<typeof QuestionsPane>>()
const title = computed(() => seen.value?.title || last.value?.title || page.value?.sheet.title || 'Sheet')
useTitle(() => title.value)
useKeys('The sheet', [{ keys: 'Ctrl Z, Ctrl Shift Z', does: 'take back, do again' }])

const load = () => (
  (told.value = ''),
  (keeping.value = false),
  (compared.value = null),
  w.load({ hash: props.hash, draft: props.draftId })
)
watch(() => [props.hash, props.draftId], load, { immediate: true })

const readable = computed(() => !!seen.value?.questions)
const errors = w.errors
const slots = computed(() => last.value?.board?.slots.length ?? 0)
const revision = computed(() => tried.value?.revision ?? (page.value ? page.value.sheet.revision + 1 : 1))
const sections = computed(() =>
  (w.asks.value?.sections ?? []).map((name, i) => {
    // While the text has errors it is not known what is open in it: as it was.
    const mine = (last.value?.questions ?? w.questions.value).filter((q) => w.askOf(q)?.section === i + 1)
    const count = (...states: string[]) => mine.filter((q) => states.includes(q.state)).length
    return { name, told: count('told', 'none'), untold: count('untold'), open: count('open') }
  }),
)
const facts = computed(() => last.value?.facts)
const shownBoard = computed(() => touching.value?.board ?? last.value?.board)
/** The draft's number, where it has the same content as a kept one. */
const same = computed(() => !!tried.value?.kept_as && w.changed.value)

async function toQuestion(key: string): Promise<void> {
  asText.value = false
  open.value = key
}
/** Somebody was asked for a fact elsewhere: its question, the first time that it can be asked. */
let askedFor = route.query.ask
watch(
  readable,
  (on) => {
    const question = on && seen.value?.open.find((o) => o.fact === askedFor)?.question
    if (on) askedFor = null
    if (question) void toQuestion(question)
  },
  { immediate: true },
)
async function toLine(line: number): Promise<void> {
  asText.value = true
  await nextTick()
  setTimeout(() => text.value?.goTo(line), 0)
}
async function keep(): Promise<void> {
  await text.value?.send() // what was typed last goes first
  if (await w.keep(why.value.trim())) {
    why.value = ''
    keeping.value = false
  }
}
async function takeOver(): Promise<void> {
  await w.doing(async () => {
    const { taken, refused } = await ask(
      api.POST('/api/sheets/{sheet_id}/taken', { params: { path: { sheet_id: page.value!.sheet.sheet_id } } }),
    )
    told.value = taken.length
      ? `${plural(taken.length, 'machine')} under this revision now: ${taken.join(', ')}.`
      : 'Every machine is under this revision already.'
    const odd = Object.entries(refused).map(([name, reason]) => `${name}: ${reason}`)
    if (odd.length) throw new Error(odd.join(' '))
  })
  await w.judge()
}
/** What the draft, or this revision, says otherwise than another. */
async function compare(other: string, revision: number): Promise<void> {
  if (compared.value) return void (compared.value = null)
  try {
    const changes = await ask(
      api.POST('/api/sheets/{hash_}/against', { params: { path: { hash_: other } }, body: { text: w.text.value } }),
    )
    compared.value = {
      changes,
      was: `revision ${revision}`,
      now: draft.value ? 'the draft' : `revision ${page.value!.sheet.revision}`,
    }
  } catch (error) {
    wrong.value = faultsOf(error)
  }
}
const retiring = ref(false)
async function retire(on: boolean): Promise<void> {
  await w.doing(() =>
    ask(
      api.PUT('/api/sheets/{sheet_id}/retired', {
        params: { path: { sheet_id: page.value!.sheet.sheet_id } },
        body: { retired: on, why: why.value.trim() },
      }),
    ),
  )
  retiring.value = false
  why.value = ''
  await load()
}
const copying = ref(false)
const copyName = ref('')
async function copy(): Promise<void> {
  const name = copyName.value.trim()
  const id = name
    .toLowerCase()
    .replace(/[^a-z0-9]+/g, '-')
    .replace(/^-|-$/g, '')
  try {
    const made = await ask(
      api.POST('/api/drafts', {
        body: {
          text: w.text.value
            .replace(/^id:.*$/m, `id: ${id}`)
            .replace(/^title:.*$/m, `title: ${JSON.stringify(name)}`)
            .replace(/^models:.*\n/m, ''),
        },
      }),
    )
    copying.value = false
    await router.push(`/sheets/drafts/${made.id}`)
  } catch (error) {
    wrong.value = faultsOf(error)
  }
}
function onKey(event: KeyboardEvent): void {
  if (isTyping(event) || !(event.ctrlKey || event.metaKey) || event.key.toLowerCase() !== 'z') return
  event.preventDefault()
  void (event.shiftKey ? w.redo() : w.undo())
}
/** What stands on it, and so stays as it is. */
function standing({ machines, plans }: { machines: number; plans: number }): string {
  if (!machines && !plans) return 'Nothing stands on it.'
  const what = [machines && plural(machines, 'machine'), plans && plural(plans, 'plan')].filter(Boolean).join(' and ')
  return machines + plans === 1 ? `${what} stands on it and stays so.` : `${what} stand on it and stay so.`
}
</script>

<template>
  <div class="page sheet" @keydown="onKey">
    <header>
      <h1>{{ title }}</h1>
      <span v-if="page || draft" class="faded">{{
        [
          seen?.kind || page?.sheet.kind,
          slots && plural(slots, 'slot'),
          page?.uses.machines && plural(page.uses.machines, 'machine'),
        ]
          .filter(Boolean)
          .join(', ')
      }}</span>
      <span v-if="draft" class="small"
        ><b>{{ draft.base_revision ? `draft of revision ${revision}` : 'draft of a new sheet' }}</b
        >{{ ' ' }}
        <span class="faded"
          >{{ draft.by === draft.begun_by ? '' : `begun by ${draft.begun_by}, ` }}{{ draft.by }} wrote
          {{ age(draft.at) }}</span
        ></span
      >
      <span v-else-if="page" class="faded small"
        >revision {{ page.sheet.revision }}{{ w.newest.value ? '' : ', not the newest: it is as it was' }}</span
      >
      <span v-if="w.here.value.length" class="small here" role="status"
        >{{ w.here.value.join(' and ') }} {{ w.here.value.length === 1 ? 'has' : 'have' }} it open too</span
      >
      <span v-if="page || draft" class="modes" role="group" aria-label="As">
        <button
          type="button"
          class="choice"
          :aria-pressed="!asText"
          :disabled="!readable && asText"
          @click="asText = false">
          Questions
        </button>
        <button type="button" class="choice" :aria-pressed="asText" @click="asText = true">Text</button>
      </span>
      <span class="keep">
        <template v-if="draft && session.mayWrite()">
          <button v-if="errors.length" type="button" class="press quiet" @click="toLine(errors[0]!.fault.line ?? 1)">
            To keep: mend line {{ errors[0]!.fault.line ?? 1 }}
          </button>
          <button
            v-else
            type="button"
            class="press"
            :disabled="same || (!w.changed.value && !!page)"
            :aria-expanded="keeping"
            @click="keeping = !keeping">
            Keep as {{ draft.base_revision ? `revision ${revision}` : 'a new sheet' }}
          </button>
        </template>
        <template v-else-if="page">
          <a class="quiet-link" :href="`/api/sheets/file?sheet=${page.sheet.hash}`" download>Export</a>
          <template v-if="session.mayWrite()">
            <button type="button" class="quiet-link" :aria-expanded="copying" @click="copying = !copying">
              Another like it
            </button>
            <button
              v-if="!page.sheet.archetype"
              type="button"
              class="quiet-link"
              :aria-expanded="retiring"
              @click="page.retired ? retire(false) : (retiring = !retiring)">
              {{ page.retired ? 'Bring it back' : 'Retire' }}
            </button>
          </template>
        </template>
      </span>
    </header>
    <form v-if="keeping && draft" class="strip" @submit.prevent="keep">
      <label class="small faded"
        >why it differs <input v-model="why" maxlength="200" placeholder="bays counted at store-01"
      /></label>
      <button type="submit" class="press slim">Keep it</button>
    </form>
    <form v-if="copying" class="strip" @submit.prevent="copy">
      <label class="small faded"
        >what the other model is called <input v-model="copyName" required maxlength="120"
      /></label>
      <button type="submit" class="press slim" :disabled="!copyName.trim()">Begin it</button>
    </form>
    <form v-if="retiring && page" class="strip" @submit.prevent="retire(true)">
      <span class="small">{{ standing(page.uses) }} It is offered for no new machine.</span>
      <label class="small faded">why <input v-model="why" maxlength="200" /></label>
      <button type="submit" class="press slim">Retire it</button>
    </form>
    <section v-if="compared && w.asks.value" class="compared" aria-label="Comparison">
      <button type="button" class="quiet-link close" @click="compared = null">Close</button>
      <ClauseChanges :changes="compared.changes" :asks="w.asks.value" :was="compared.was" :now="compared.now" />
    </section>
    <p v-if="page?.retired" class="small faded">
      Retired by {{ page.retired.by }}{{ page.retired.why ? `: ${page.retired.why}` : '' }}. What stands on it can be
      read and worked on.
    </p>
    <p v-if="wrong" class="wrong" role="alert">{{ wrong }}</p>
    <p v-if="told" role="status">{{ told }}</p>
    <ComingNote v-if="!seen && !wrong" what="The sheet" />
    <template v-if="seen">
      <div class="progress" aria-label="Progress">
        <button
          v-for="(s, i) in sections"
          :key="s.name"
          type="button"
          class="bars"
          :title="`${s.name}: ${s.told} told, ${s.untold} untold, ${s.open} open`"
          :aria-label="`${i + 1} ${s.name}: ${s.told} told, ${s.untold} untold, ${s.open} open`"
          @click="((asText = false), nextTick(() => questions?.toSection(i + 1)))">
          <span class="row"
            ><i v-for="n in s.told" :key="`t${n}`" class="told"></i
            ><i v-for="n in s.untold" :key="`u${n}`" class="untold"></i
            ><i v-for="n in s.open" :key="`o${n}`" class="open"></i
            ><i v-if="!s.told && !s.untold && !s.open" class="none"></i
          ></span>
          <span class="small faded">{{ i + 1 }}</span>
        </button>
        <span v-if="facts" class="figures"
          ><b>{{ facts.told }}</b> told <b class="untold-n">{{ facts.untold }}</b> untold
          <b class="open-n">{{ facts.open }}</b> open</span
        >
        <span v-if="draft && session.mayWrite()" class="drafting">
          <button type="button" class="quiet-link" :disabled="!w.steps.value.length" @click="w.undo()">
            Take back
          </button>
          <button
            v-if="page && w.changed.value"
            type="button"
            class="quiet-link"
            :aria-expanded="!!compared"
            @click="compare(page.sheet.hash, page.sheet.revision)">
            Compare with {{ page.sheet.revision }}
          </button>
          <button type="button" class="quiet-link" @click="w.leave()">Leave the draft</button>
        </span>
        <span v-if="same" class="small faded"
          >says what revision {{ page?.revisions.find((r) => r.hash === tried?.kept_as)?.revision ?? 1 }} says</span
        >
      </div>
      <DoubtList
        v-if="page?.doubts.length && session.mayWrite() && w.newest.value"
        :doubts="page.doubts"
        :revision="revision"
        @question="toQuestion"
        @changed="load" />
      <div class="columns">
        <section class="left" :aria-label="asText ? 'Text' : 'Questions'">
          <TextPane v-if="asText || !readable" ref="text" />
          <QuestionsPane v-else ref="questions" v-model="open" />
        </section>
        <section class="middle" aria-label="Its board" :class="{ dim: errors.length }">
          <p v-if="touching" class="small told-words" role="status">
            <b>{{ touching.words }}</b> <span class="faded">By keys: arrows, then Enter.</span>
          </p>
          <p v-else-if="errors.length" class="small faded told-words">
            As it was before line {{ errors[0]!.fault.line ?? 1 }} was wrong.
          </p>
          <div v-if="shownBoard" class="picture">
            <BoardView
              :board="shownBoard"
              :now="{}"
              :goal="{}"
              :order="touching ? touching.order : slots <= 32"
              :lit="touching?.lit"
              :interactive="!!touching"
              @enter="touching?.tell($event)"
              @press="touching?.tell($event)" />
          </div>
          <ol v-if="touching?.steps?.length" class="steps" tabindex="0" aria-label="The sets in order">
            <li v-for="(s, i) in touching.steps" :key="i">
              <b class="mono">{{ s.slots.join(' ') }}</b>{{ ' ' }}
              <span class="faded small">{{ s.total }} {{ s.total === 1 ? 'module' : 'modules' }}</span>
            </li>
          </ol>
          <p v-if="!shownBoard" class="faded small told-words">No board yet: the text has errors.</p>
        </section>
        <SaysPane
          class="right"
          :as-text="asText"
          :may-take="session.mayWrite() && w.newest.value && !draft"
          @question="toQuestion"
          @line="toLine"
          @taken="takeOver">
          <section v-if="page && page.revisions.length > 1" class="small" aria-label="Revisions">
            <h2>Revisions</h2>
            <ul>
              <li v-for="r in page.revisions" :key="r.hash">
                <router-link
                  class="quiet-link"
                  :to="`/sheets/${r.hash}`"
                  :aria-current="r.hash === hash ? 'page' : undefined"
                  >{{ r.revision }}</router-link>{{ ' ' }}
                <span class="faded"
                  >{{ [r.by ?? 'came with the tool', age(r.at), r.why].filter(Boolean).join(', ') }}
                  <button
                    v-if="r.hash !== page.sheet.hash"
                    type="button"
                    class="quiet-link"
                    @click="compare(r.hash, r.revision)">
                    compare
                  </button></span
                >
              </li>
            </ul>
          </section>
        </SaysPane>
      </div>
    </template>
  </div>
</template>

<style scoped>
.sheet {
  display: flex;
  flex-direction: column;
  height: 100vh;
  padding-bottom: 0 !important;
}
header {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 16px;
  align-items: center;
}
.here {
  color: var(--umber);
}
.modes {
  display: flex;
  margin-left: auto;
}
.keep {
  display: flex;
  flex-wrap: wrap;
  gap: 6px 16px;
  align-items: center;
}
.strip {
  display: flex;
  flex-wrap: wrap;
  gap: 12px;
  align-items: end;
  padding: 8px 16px;
  background: var(--lit);
}
.compared {
  max-height: 46vh;
  overflow-y: auto;
  padding: 8px 16px;
  border-bottom: 1px solid var(--rule);
}
.close {
  float: right;
}
.strip label {
  display: grid;
}
.strip input {
  width: 320px;
  max-width: 80vw;
  height: 32px;
  padding: 0 8px;
  border: 1px solid var(--module-edge);
  border-radius: 4px;
  background: var(--sheet);
  color: var(--ink);
}
.progress {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 14px;
  align-items: end;
  padding: 6px 16px;
  background: var(--paper);
  border-bottom: 1px solid var(--rule);
  margin-left: -24px;
  padding-left: 40px;
}
.bars {
  display: grid;
  justify-items: center;
  min-width: 24px;
  min-height: 28px;
  padding: 2px;
  border: 0;
  background: none;
  color: inherit;
  cursor: pointer;
}
.bars .row {
  display: flex;
  gap: 2px;
}
.bars i {
  width: 5px;
  height: 12px;
  border: 1px solid var(--module-edge);
}
.bars .told {
  background: var(--module-edge);
}
.bars .untold {
  border-color: var(--risk);
  background: color-mix(in srgb, var(--risk) 35%, transparent);
}
.bars .open {
  border-color: var(--ask);
}
.bars .none {
  border-color: var(--rule);
}
.figures {
  margin-left: 12px;
  font-size: 14px;
}
.figures b {
  font-size: 17px;
}
.drafting {
  display: flex;
  flex-wrap: wrap;
  gap: 2px 16px;
  margin-left: auto;
}
.untold-n {
  color: var(--risk);
}
.open-n {
  color: var(--ask);
}
.columns {
  display: grid;
  grid-template-columns: minmax(360px, 1.05fr) minmax(280px, 1fr) minmax(280px, 0.85fr);
  align-items: start;
  flex: 1;
  min-height: 0;
}
.columns > * {
  height: 100%;
  overflow-y: auto;
  border-right: 1px solid var(--rule);
  min-width: 0;
}
/* The editor scrolls by itself. */
.left:has(.editor) {
  overflow: hidden;
}
.middle {
  display: flex;
  flex-direction: column;
  overflow: hidden;
}
.picture {
  flex: 0 1 340px;
  min-height: 240px;
  padding: 8px 10px;
}
.told-words {
  margin: 0;
  padding: 8px 14px;
}
.steps {
  list-style: none;
  display: flex;
  flex-wrap: wrap;
  gap: 8px 0;
  margin: 0;
  padding: 10px 14px;
  overflow-y: auto;
}
.steps li {
  display: grid;
  padding: 10px 18px 0 0;
  border-top: 1.5px solid var(--module-edge);
  position: relative;
}
.steps li::before {
  content: '';
  position: absolute;
  top: -6px;
  width: 10px;
  height: 10px;
  border-radius: 50%;
  background: var(--ink);
}
.middle.dim .picture {
  opacity: 0.45;
}
@media (max-width: 1100px) {
  .sheet {
    height: auto;
  }
  .columns {
    grid-template-columns: minmax(0, 1.1fr) minmax(0, 1fr);
    height: auto;
  }
  .columns > * {
    height: auto;
    overflow: visible;
  }
  .middle {
    position: sticky;
    top: 0;
    height: min(60vh, 480px);
  }
  .right {
    grid-column: 1 / -1;
    border-top: 1px solid var(--rule);
  }
}
@media (max-width: 700px) {
  .progress {
    margin-left: 0;
    padding-left: 14px;
  }
  .columns {
    grid-template-columns: minmax(0, 1fr);
  }
  .middle {
    order: -1;
    position: static;
    height: 240px;
    background: var(--sheet);
    border-bottom: 1px solid var(--rule);
  }
  .picture {
    flex: 1;
    min-height: 0;
  }
  /* The numerals on the board tell it. */
  .steps {
    display: none;
  }
}
/* Where a question and the board have room together, the board stays while one goes through the questions. */
@media (max-width: 700px) and (min-height: 560px) {
  .middle {
    position: sticky;
    z-index: 2;
    height: 38vh;
  }
}
</style>
