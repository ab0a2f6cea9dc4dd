<script setup lang="ts">
/** One part number: what each place where it was seen says of it, side by side; its other numbers, lists, trials, machines. */
import { computed, ref, shallowRef, watch } from 'vue'
import { api, ask, wordsOf, type PartView } from '@/api/client'
import { session } from '@/frame/session'
import { OUTCOMES, outcomeShape } from '@/notes/words'
import { KIND_WORDS } from '@/stations/ceiling/words'
import FieldFault from '@/ui/FieldFault.vue'
import { useForm } from '@/ui/form'
import SeverityMark from '@/ui/SeverityMark.vue'
import { useTitle } from '@/ui/title'
import { useLabel } from './label'
import { chips, columnsOf, partPath, saidBy, whereWords } from './parts'

const props = defineProps<{ number: string }>()
useTitle(() => props.number)
const part = shallowRef<PartView>()
const wrong = ref('')
const open = ref<'same' | 'is' | null>(null)

async function load(): Promise<void> {
  const asked = props.number
  try {
    const found = await ask(api.GET('/api/parts/one', { params: { query: { number: asked } } }))
    if (asked === props.number) [part.value, wrong.value] = [found, '']
  } catch (error) {
    if (asked === props.number) [part.value, wrong.value] = [undefined, wordsOf(error)]
  }
}
watch(() => props.number, load, { immediate: true })

const columns = computed(() => (part.value ? columnsOf(part.value) : []))
const disputed = computed(() => part.value?.facts.filter((f) => f.said.length > 1) ?? [])
const counted = computed(() => (part.value ? chips(part.value.module) : null))

const same = useForm({ same: '', source: '' }, async (f) => {
  part.value = await ask(
    api.POST('/api/parts/words', {
      body: { number: part.value?.number ?? props.number, same: f.same.trim() || null, source: f.source } as never,
    }),
  )
  open.value = null
  same.clear()
})
const is = useForm(
  { label: '', source: '' },
  async (f) => {
    part.value = await ask(
      api.POST('/api/parts/words', {
        body: { number: part.value?.number ?? props.number, module: await told.module(), source: f.source } as never,
      }),
    )
    wrong.value = ''
    open.value = null
    is.clear()
    told.label.value = ''
  },
  { module: 'label' },
)
const told = useLabel(is.wrong)
async function takeBack(id: string): Promise<void> {
  try {
    await ask(api.DELETE('/api/parts/words/{word_id}', { params: { path: { word_id: id } } }))
    await load()
  } catch (error) {
    wrong.value = wordsOf(error)
  }
}
const toggle = (what: typeof open.value) => (open.value = open.value === what ? null : what)
</script>

<template>
  <div class="page part">
    <header>
      <h1 class="mono">{{ part?.number ?? number }}</h1>
      <p v-if="part" class="what">
        {{ part.facts.length ? part.words : 'not known what it is'
        }}<span v-if="counted" class="faded">; {{ counted }} chips to be counted on it</span>
      </p>
      <nav class="ways" aria-label="Beside it">
        <router-link class="quiet-link" :to="`/shelf?q=${encodeURIComponent(part?.number ?? number)}`"
          >On the Shelf</router-link
        >
        <router-link class="quiet-link" to="/shelf/parts">Part numbers</router-link>
      </nav>
    </header>
    <p v-if="wrong" class="wrong" role="alert">{{ wrong }}</p>
    <p v-if="disputed.length" class="disputed" role="status">
      <SeverityMark severity="risk" /> Modules of this number differ in {{ disputed.map((f) => f.called).join(', ') }}:
      other chips under the same number, or a mistake. Nothing of that is taken as known; look at the module itself.
    </p>
    <div v-if="part" class="body">
      <section class="panel" aria-labelledby="says">
        <div class="caption"><h2 id="says">What each says of it</h2></div>
        <div
          v-if="part.facts.length"
          class="scroll"
          tabindex="0"
          role="group"
          aria-label="What each says, side by side">
          <table>
            <thead>
              <tr>
                <td></td>
                <th scope="col" class="known">known</th>
                <th v-for="c in columns" :key="c.key" scope="col" class="where">
                  {{ whereWords(c)
                  }}<span v-if="c.first.number !== part.number" class="mono faded under">as {{ c.first.number }}</span>
                </th>
              </tr>
            </thead>
            <tbody>
              <tr v-for="f in part.facts" :key="f.member">
                <th scope="row">{{ f.called }}</th>
                <td class="known">
                  <template v-if="f.said.length === 1">{{ f.said[0]!.words }}</template>
                  <span v-else class="open">open</span>
                </td>
                <td v-for="c in columns" :key="c.key" :class="{ odd: saidBy(part, c, f.member)?.disputed }">
                  {{ saidBy(part, c, f.member)?.words ?? '' }}
                </td>
              </tr>
            </tbody>
          </table>
        </div>
        <p v-else class="faded inside">Nobody told what it is. Say what its label says, or read the SPD of one.</p>
      </section>

      <div class="sides">
        <section class="panel" aria-labelledby="other">
          <div class="caption">
            <h2 id="other">Told of it, and its other numbers</h2>
            <span v-if="session.mayWrite()" class="tools">
              <button type="button" class="quiet-link" :aria-expanded="open === 'is'" @click="toggle('is')">
                Say what it is
              </button>
              <button type="button" class="quiet-link" :aria-expanded="open === 'same'" @click="toggle('same')">
                Add a number
              </button>
            </span>
          </div>
          <form
            v-if="open === 'same'"
            class="fields grid inside"
            aria-label="Another number of the same thing"
            @submit.prevent="same.submit">
            <label
              >Number <input v-model="same.values.same" class="mono" maxlength="120" required /><FieldFault
                :of="same.faults"
                name="same"
            /></label>
            <label class="wide"
              >Where both are written
              <input
                v-model="same.values.source"
                maxlength="200"
                required
                placeholder="both labels on one module; the maker’s spares list" /><FieldFault
                :of="same.faults"
                name="source"
            /></label>
            <p v-if="same.wrong.value" class="wrong wide" role="alert">{{ same.wrong.value }}</p>
            <div class="choices">
              <button type="button" class="quiet-link" @click="open = null">Cancel</button
              ><button type="submit" class="press" :disabled="same.sending.value">They are the same</button>
            </div>
          </form>
          <form v-if="open === 'is'" class="fields grid inside" aria-label="What it is" @submit.prevent="is.submit">
            <label class="wide"
              >Its label
              <input
                v-model="told.label.value"
                class="mono"
                maxlength="400"
                placeholder="16GB 1Rx8 PC5-4800B-RC0" /><FieldFault :of="is.faults" name="label"
            /></label>
            <label>or its SPD <input type="file" @change="told.spd" /></label>
            <label class="wide"
              >Where it is written
              <input
                v-model="is.values.source"
                maxlength="200"
                required
                placeholder="the maker’s data sheet" /><FieldFault :of="is.faults" name="source"
            /></label>
            <p v-if="told.words.value" class="small wide" role="status">{{ told.words.value }}</p>
            <p v-if="is.wrong.value" class="wrong wide" role="alert">{{ is.wrong.value }}</p>
            <div class="choices">
              <button type="button" class="quiet-link" @click="open = null">Cancel</button
              ><button type="submit" class="press" :disabled="is.sending.value">That is what it is</button>
            </div>
          </form>
          <ul class="inside">
            <li v-for="w in part.told" :key="w.id">
              <template v-if="w.same"
                ><router-link class="quiet-link mono" :to="partPath(w.same === part.number ? w.number : w.same)">{{
                  w.same === part.number ? w.number : w.same
                }}</router-link></template
              >
              <template v-else>It is {{ w.words }}</template>
              <span class="faded small"> {{ w.source }}; told by {{ w.by }}, {{ w.at }}</span>
              <button
                v-if="session.mayWrite()"
                type="button"
                class="quiet-link"
                :aria-label="`Take back what ${w.by} told: ${w.same ?? w.words}`"
                @click="takeBack(w.id)">
                Take back
              </button>
            </li>
            <li v-if="!part.told.length" class="faded">Nothing was told, and no other number is known.</li>
          </ul>
        </section>

        <section class="panel" aria-labelledby="listed">
          <div class="caption"><h2 id="listed">Who lists it, where it is, how it went</h2></div>
          <ul class="inside">
            <li v-for="l in part.listed" :key="l.sheet_hash + l.line">
              <router-link class="quiet-link" :to="`/sheets/${l.sheet_hash}`">{{ l.model }}</router-link> lists
              <span class="mono">{{ l.line }}</span>{{ ' ' }}
              <span class="faded small">{{ [l.source, l.note].filter(Boolean).join('; ') }}</span>
            </li>
            <li v-if="!part.listed.length" class="faded">No qualified list here has it.</li>
            <li v-for="m in part.machines" :key="m.machine_id">
              <router-link class="quiet-link" :to="`/machines/${m.machine_id}/survey`">{{ m.machine }}</router-link>
              holds {{ m.count }}
            </li>
            <li v-for="t in part.trials" :key="t.model + t.tried_on + t.note" class="trial">
              <svg width="12" height="12" viewBox="0 0 12 12" aria-hidden="true">
                <path :d="outcomeShape(t.outcome)" />
              </svg>
              {{ OUTCOMES[t.outcome] }} on {{ t.model
              }}<span class="faded small"
                >, {{ KIND_WORDS[t.who] ?? t.who }}, {{ t.tried_on }}{{ t.note ? `: ${t.note}` : '' }}</span
              >
            </li>
            <li v-if="!part.trials.length" class="faded">Nobody noted a trial of it.</li>
          </ul>
        </section>
      </div>
    </div>
  </div>
</template>

<style scoped>
.part {
  display: grid;
  grid-template-columns: minmax(0, 1fr);
}
header {
  display: flex;
  flex-wrap: wrap;
  align-items: baseline;
  gap: 4px 18px;
}
.ways {
  display: flex;
  gap: 16px;
  margin-left: auto;
}
.what {
  margin: 0;
  font-size: 17px;
}
.disputed {
  margin: 0;
  color: var(--risk);
}
.caption {
  display: flex;
  flex-wrap: wrap;
  justify-content: space-between;
  gap: 4px 16px;
  padding: 10px 18px 6px;
}
.tools {
  display: flex;
  gap: 16px;
}
.inside {
  padding: 2px 18px 14px;
  margin: 0;
}
ul {
  list-style: none;
  display: grid;
  gap: 6px;
}
.body {
  display: grid;
  grid-template-columns: minmax(0, 1fr) 440px;
  align-items: start;
}
@media (max-width: 1100px) {
  .body {
    grid-template-columns: minmax(0, 1fr);
  }
}
.inside li > * + *,
.inside li > .faded {
  margin-left: 8px;
}
.scroll {
  position: relative;
  overflow-x: auto;
  padding: 0 18px 12px;
}
table {
  border-collapse: collapse;
  font-size: 14px;
  font-variant-numeric: tabular-nums;
}
th,
td {
  text-align: left;
  vertical-align: bottom;
  padding: 5px 18px 5px 0;
  font-weight: 400;
}
.where {
  max-width: 190px;
  font-size: 13px;
  color: var(--faded);
}
.known {
  font-weight: 650;
  padding-right: 28px;
}
tbody tr {
  border-top: 1px solid var(--rule);
}
.odd {
  color: var(--risk);
  font-weight: 650;
}
.open {
  color: var(--ask);
}
.under {
  display: block;
}
.trial svg {
  margin-right: 4px;
  fill: currentColor;
}
</style>
