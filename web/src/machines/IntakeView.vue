<script setup lang="ts">
/** A machine from what it reports: take it in, choose its sheet, say which slot is which, look, keep. */
import { computed, ref, shallowRef, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { api, ask, Refusal, wordsOf, type Intake, type Layout, type Match, type SheetRow, type SheetView, type Suggestion } from '@/api/client'
import BoardView from '@/board/BoardView.vue'
import { gb } from '@/ui/figures'
import ReportInput from '@/intake/ReportInput.vue'
import { plural } from '@/ui/words'
import SheetDraft from './SheetDraft.vue'
import ReportMapping from './ReportMapping.vue'
import { useTitle } from '@/ui/title'

useTitle(() => 'New machine')

const router = useRouter()
const intake = shallowRef<Intake>()
const sheets = shallowRef<SheetRow[]>([])
const sheetHash = ref('')
const sheet = shallowRef<SheetView>()
const name = ref('')
const site = ref('')
const place = ref('')
/** Index of a report -> slot; '' where it is left out. */
const slotOf = ref<Record<number, string>>({})
/** Reports whose names told their slot. */
const matched = ref(new Set<number>())
const processors = ref<Record<string, string>>({})
const faults = ref<string[]>([])
const busy = ref(false)
const drafting = ref(false)
const likely = shallowRef<Suggestion[]>([])
const oddities = ref<string[]>([])

void ask(api.GET('/api/sheets')).then((found) => (sheets.value = found), fail)

function fail(error: unknown): void {
  const errors = error instanceof Refusal ? (error.problem.errors ?? []) : []
  faults.value = errors.length ? errors.map((e) => (e.line ? `line ${e.line}: ${e.message}` : e.message)) : [wordsOf(error)]
}

async function tookIn(found: Intake): Promise<void> {
  intake.value = found
  faults.value = []
  try {
    // Beside the work, not before it: who chooses meanwhile must not find the choice undone.
    ask(api.GET('/api/intakes/{intake_id}/sheets', { params: { path: { intake_id: found.id } } })).then((some) => (likely.value = some), fail)
    const system = found.reading.system
    if (!name.value && system?.serial) name.value = `${system.model ?? 'machine'} ${system.serial}`
    await matchUp()
  } catch (error) {
    fail(error)
  }
}

// A report that was read with many others.
const route = useRoute()
if (typeof route.query.intake === 'string') {
  name.value = typeof route.query.name === 'string' ? route.query.name : ''
  ask(api.GET('/api/intakes/{intake_id}', { params: { path: { intake_id: route.query.intake } } })).then(tookIn, fail)
}

/** The drafted sheet is chosen for this machine, with what its linter says of it. */
function useDraft(kept: SheetRow, findings: string[]): void {
  sheets.value = [kept, ...sheets.value.filter((s) => s.sheet_id !== kept.sheet_id)]
  sheetHash.value = kept.hash
  oddities.value = findings
  drafting.value = false
}

watch(sheetHash, () => void matchUp().catch(fail))

async function matchUp(): Promise<void> {
  if (!sheetHash.value) return
  const hash = sheetHash.value
  const chosen = await ask(api.GET('/api/sheets/{hash_}', { params: { path: { hash_: hash } } }))
  sheet.value = chosen
  if (!intake.value) return
  const params = { path: { intake_id: intake.value.id }, query: { sheet: hash } }
  const match: Match = await ask(api.GET('/api/intakes/{intake_id}/match', { params }))
  slotOf.value = Object.fromEntries(match.slots.map((slot, i) => [i, slot ?? '']))
  matched.value = new Set(match.slots.flatMap((slot, i) => (slot ? [i] : [])))
  processors.value = Object.fromEntries(
    chosen.sockets.map((s) => {
      const found = match.processors[s.id]
      const only = s.processors.length === 1 && !s.may_be_absent ? s.processors[0]!.id : '?'
      return [s.id, found === null ? '' : (found ?? only)]
    }),
  )
}

const reports = computed(() => intake.value?.reading.slots ?? [])
const taken = computed(() => new Map(Object.entries(slotOf.value).map(([i, s]) => [s, Number(i)])))
const bare = computed(() => sheet.value?.board.slots.filter((s) => !taken.value.has(s.id)) ?? [])

const board = computed(() => {
  const shown = sheet.value
  if (!shown) return null
  const titles = new Map(shown.sockets.flatMap((s) => s.processors.map((p) => [p.id, p.title] as const)))
  const sockets = shown.board.sockets.map((s) => {
    const chosen = processors.value[s.id]
    return { ...s, processor: chosen === '' ? '' : (titles.get(chosen ?? '?') ?? null) }
  })
  return { ...shown.board, sockets }
})

/** The board as it would be kept: slots that no report is mapped to are not known. */
const preview = computed<Layout>(() => {
  const layout: Layout = {}
  for (const slot of sheet.value?.board.slots ?? []) {
    const index = taken.value.get(slot.id)
    const report = index === undefined ? undefined : reports.value[index]
    if (!report || report.state === 'unknown') layout[slot.id] = 'unknown'
    else if (report.module && report.state !== 'empty') layout[slot.id] = report.module
  }
  return layout
})
const total = computed(() => Object.values(preview.value).reduce((sum, m) => sum + (m === 'unknown' ? 0 : (m.capacity_gib ?? 0)), 0))

async function keep(): Promise<void> {
  if (!intake.value || !sheet.value) return
  busy.value = true
  faults.value = []
  try {
    const slots = Object.fromEntries(Object.entries(slotOf.value).filter(([, s]) => s).map(([i, s]) => [s, Number(i)]))
    const known = Object.entries(processors.value).filter(([, p]) => p !== '?')
    const made = await ask(
      api.POST('/api/machines', {
        body: {
          name: name.value,
          sheet_hash: sheetHash.value,
          intake_id: intake.value.id,
          slots,
          processors: Object.fromEntries(known.map(([socket, p]) => [socket, p || null])),
          place: place.value,
          site: site.value || null,
          zone: Intl.DateTimeFormat().resolvedOptions().timeZone,
        },
      }),
    )
    await router.push(`/machines/${made.id}/survey`)
  } catch (error) {
    fail(error)
  } finally {
    busy.value = false
  }
}
</script>

<template>
  <div class="page intake">
    <header>
      <h1>New machine</h1>
      <router-link class="quiet-link" to="/machines/by-hand">or by hand</router-link>
      <span class="faded">from what it reports</span>
      <router-link class="quiet-link back" to="/machines">Back to the machines</router-link>
    </header>
    <div class="columns">
      <section class="panel steps" aria-label="What it reports">
        <h2><b>1</b> What the machine reports</h2>
        <div class="drop" :class="{ done: intake }">
          <template v-if="intake">
            <strong>{{ intake.reading.system?.model ?? 'unnamed machine' }}</strong>
            <span class="faded small">
              {{ [intake.reading.system?.maker, intake.reading.system?.serial].filter(Boolean).join(', ') }}
            </span>
            <span class="small">
              {{ plural(reports.length, 'slot') }} reported, {{ plural(intake.reading.processors.length, 'processor') }}, firmware
              {{ intake.reading.firmware?.version ?? 'not known' }}; from {{ intake.source_name }}
            </span>
            <ul v-if="intake.reading.warnings.length" class="warnings small">
              <li v-for="w in intake.reading.warnings" :key="w.where + w.message">
                <b>{{ w.where }}</b> {{ w.message }}
              </li>
            </ul>
            <button type="button" class="quiet-link" @click="intake = undefined">Take in something else</button>
          </template>
          <ReportInput v-else @taken="tookIn" />
        </div>
        <ul v-if="faults.length" class="faults" role="alert">
          <li v-for="f in faults" :key="f">{{ f }}</li>
        </ul>

        <h2><b>2</b> Which model it is</h2>
        <select v-model="sheetHash" aria-label="Sheet of the model">
          <option value="" disabled>choose a sheet, or an architecture like it</option>
          <optgroup label="Models">
            <option v-for="s in sheets.filter((x) => !x.archetype)" :key="s.hash" :value="s.hash">{{ s.title }}</option>
          </optgroup>
          <optgroup label="Common architectures">
            <option v-for="s in sheets.filter((x) => x.archetype)" :key="s.hash" :value="s.hash">{{ s.title }}</option>
          </optgroup>
        </select>
        <p v-for="s in likely.filter((x) => x.hash !== sheetHash)" :key="s.hash" class="small likely">
          It may be <button type="button" class="quiet-link" @click="sheetHash = s.hash">{{ s.title }}</button>: {{ s.reasons.join(', ') }}.
        </p>
        <button v-if="intake" type="button" class="quiet-link" @click="drafting = true">None fits: draft a sheet from the report</button>
        <SheetDraft v-if="drafting && intake" :intake="intake" @kept="useDraft" @leave="drafting = false" />
        <ul v-if="oddities.length" class="faded small" aria-label="What the linter says of the sheet">
          <li v-for="o in oddities" :key="o">{{ o }}</li>
        </ul>
        <p v-if="sheet?.notes" class="faded small notes">{{ sheet.notes }}</p>
        <div v-for="s in sheet?.sockets ?? []" :key="s.id" class="pair">
          <label :for="`cpu-${s.id}`">{{ s.id }}</label>
          <select :id="`cpu-${s.id}`" v-model="processors[s.id]">
            <option value="?">not known</option>
            <option v-for="p in s.processors" :key="p.id" :value="p.id">{{ p.title }}</option>
            <option v-if="s.may_be_absent" value="">no processor</option>
          </select>
        </div>

        <h2><b>3</b> What to call it</h2>
        <div class="pair"><label for="m-name">Name</label><input id="m-name" v-model="name" maxlength="120" placeholder="gauge-11" /></div>
        <div class="pair"><label for="m-site">Site</label><input id="m-site" v-model="site" maxlength="120" placeholder="Skerry Watch" /></div>
        <div class="pair"><label for="m-place">Place</label><input id="m-place" v-model="place" maxlength="200" placeholder="control room, shelf 2" /></div>
        <button type="button" class="press" :disabled="!intake || !sheet || !name.trim() || busy" @click="keep">Keep this machine</button>
        <p v-if="!intake || !sheet || !name.trim()" class="faded small">
          Still missing: {{ [!intake && 'what it reports', !sheet && 'its model', !name.trim() && 'a name'].filter(Boolean).join(', ') }}.
        </p>
      </section>

      <section class="panel picture" aria-labelledby="intake-board">
        <div class="caption">
          <h2 id="intake-board">{{ sheet ? sheet.title : 'Its board' }}</h2>
          <span v-if="sheet && intake" class="faded small">{{ gb(total) }} GB in slots, {{ plural(bare.length, 'slot') }} without a report</span>
        </div>
        <div v-if="board" class="board-box"><BoardView :board="board" :now="preview" :goal="preview" /></div>
        <p v-else class="faded empty">Choose a model and its board appears here, with what was reported in its slots.</p>
        <ReportMapping
          v-if="sheet && intake"
          v-model="slotOf"
          :reports="reports"
          :slots="sheet.board.slots"
          :matched="matched"
        />
      </section>
    </div>
  </div>
</template>

<style scoped>
header {
  display: flex;
  align-items: baseline;
  gap: 14px;
  padding: 12px 8px;
}
.back {
  margin-left: auto;
}
.columns {
  display: grid;
  grid-template-columns: 400px minmax(0, 1fr);
  gap: 12px;
  align-items: start;
}
.steps {
  padding: 14px 16px;
  display: grid;
  gap: 8px;
}
.steps h2 {
  margin-top: 4px;
}
h2 b {
  display: inline-block;
  width: 22px;
  color: var(--umber);
}
.drop {
  display: grid;
  gap: 6px;
  padding: 10px 12px;
  border: 1px dashed var(--module-edge);
  border-radius: 4px;
  background: var(--paper);
}
.drop > button {
  justify-self: start;
}
.drop.done {
  border-style: solid;
  border-color: var(--rule);
}
select,
.pair input {
  width: 100%;
  padding: 6px 10px;
  background: var(--sheet);
  color: var(--ink);
  border: 1px solid var(--module-edge);
  border-radius: 4px;
}
.warnings,
.faults {
  margin: 0;
  padding-left: 18px;
  max-height: 120px;
  overflow: auto;
}
.warnings {
  color: var(--slow);
}
.faults {
  color: var(--stop);
}
.likely {
  margin: 6px 0 0;
}
.notes {
  margin: 0;
}
.pair {
  display: grid;
  grid-template-columns: 64px 1fr;
  gap: 10px;
  align-items: center;
}
.steps p {
  margin: 0;
}
.picture {
  min-height: 420px;
  display: flex;
  flex-direction: column;
}
.caption {
  display: flex;
  gap: 12px;
  align-items: baseline;
  padding: 12px 16px 0;
}
.board-box {
  height: min(470px, 57vh);
  padding: 4px 12px;
}
.empty {
  margin: auto;
  padding: 40px;
}
@media (max-width: 1000px) {
  .columns {
    grid-template-columns: minmax(0, 1fr);
  }
}
</style>
