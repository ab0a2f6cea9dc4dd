<script setup lang="ts">
/** A maker's qualified list that comes in by a file: which parts it brings to which sheets, and models that no sheet is called by. */
import { onMounted, ref, shallowRef, watch } from 'vue'
import { api, ask, faultsOf, type TakenList } from '@/api/client'
import { KIND_WORDS } from '@/stations/ceiling/words'
import { plural } from '@/ui/words'
import ClauseChanges from './ClauseChanges.vue'
import { asksOnce, type Asks } from './work'

const emit = defineEmits<{ done: [] }>()
const file = shallowRef<File>()
const title = ref('')
const kind = ref('machine-maker')
const dated = ref('')
const seen = shallowRef<TakenList>()
const asks = shallowRef<Asks>()
const wrong = ref('')
const told = ref('')
const busy = ref(false)
onMounted(async () => (asks.value = await asksOnce()))

function chosen(event: Event): void {
  const input = event.target as HTMLInputElement
  file.value = input.files?.[0]
  if (file.value && !title.value) title.value = file.value.name.replace(/\.\w+$/, '')
  void send(false)
}
// What the source is called, whose it is and of when stands in what is previewed.
watch([title, kind, dated], () => {
  if (seen.value) void send(false)
})
let turn = 0
async function send(keep: boolean): Promise<void> {
  if (!file.value) return
  const mine = ++turn
  wrong.value = told.value = ''
  busy.value = true
  const form = new FormData()
  form.append('file', file.value)
  form.append('title', title.value)
  form.append('kind', kind.value)
  if (dated.value) form.append('dated', dated.value)
  form.append('keep', String(keep))
  try {
    const found = await ask(
      api.POST('/api/lists/file', { body: form as never, bodySerializer: (b: unknown) => b as FormData }),
    )
    if (mine !== turn) return
    seen.value = found.kept ? undefined : found
    if (found.kept) {
      const parts = found.sheets.reduce((n, s) => n + s.added.length, 0)
      const odd = found.sheets.filter((s) => s.fault).map((s) => s.title)
      const waits = found.unknown.reduce((n, u) => n + u.lines, 0)
      const sheets = found.sheets.filter((s) => s.added.length).length
      const said = [
        `${plural(parts, 'part')} listed in ${plural(sheets, 'sheet')}`,
        waits && `${plural(waits, 'line')} ${waits > 1 ? 'wait' : 'waits'} for a sheet of that name`,
        odd.length && `what is for ${odd.join(', ')} waits until it is put right`,
      ]
      told.value = `${said.filter(Boolean).join('; ')}.`
      file.value = undefined
      emit('done')
    }
  } catch (error) {
    if (mine === turn) wrong.value = faultsOf(error)
  } finally {
    if (mine === turn) busy.value = false
  }
}
</script>

<template>
  <section class="panel list-in" aria-label="A qualified list">
    <div class="fields grid">
      <label class="wide"
        >CSV or XLSX with columns part, model; also size, maker, note, date
        <input
          type="file"
          accept=".csv,.tsv,.xlsx"
          @click="($event.target as HTMLInputElement).value = ''"
          @change="chosen"
      /></label>
      <label>What the list is called <input v-model="title" maxlength="120" /></label>
      <label
        >Whose it is
        <select v-model="kind">
          <option v-for="(words, key) in KIND_WORDS" :key="key" :value="key">{{ words }}</option>
        </select>
      </label>
      <label>Of which day <input v-model="dated" type="date" /></label>
    </div>
    <p v-if="wrong" class="wrong" role="alert">{{ wrong }}</p>
    <p v-if="told" role="status">{{ told }}</p>
    <template v-if="seen">
      <ul v-if="seen.errors.length" class="wrong" role="alert">
        <li v-for="e in seen.errors" :key="`${e.row} ${e.column}`">row {{ e.row }}, {{ e.column }}: {{ e.message }}</li>
      </ul>
      <ul class="sheets">
        <li v-for="s in seen.sheets" :key="s.sheet_hash">
          <b>{{ s.title }}</b>
          <span v-if="s.fault" class="wrong"> {{ s.fault }}; its lines wait</span>
          <span v-else>
            {{ s.added.length ? plural(s.added.length, 'new part') : 'lists all of it already'
            }}<span v-if="s.added.length && s.there.length" class="faded"
              >, {{ s.there.length }} listed already</span
            ></span
          >
          <span v-if="s.draft_by && s.added.length" class="faded small"> into the draft of {{ s.draft_by }}</span>
          <ClauseChanges
            v-if="s.changes.length && asks"
            :changes="s.changes"
            :asks="asks"
            was="now"
            now="with the list" />
        </li>
        <li v-for="u in seen.unknown" :key="u.model">
          <b>{{ u.model }}</b> <span class="ask">no sheet is called so: {{ plural(u.lines, 'line') }} will wait</span
          ><span v-if="u.near.length" class="faded small"> nearly: {{ u.near.join(', ') }}</span>
        </li>
      </ul>
      <button
        type="button"
        class="press slim"
        :disabled="busy || seen.errors.length > 0 || !title.trim()"
        @click="send(true)">
        Keep it
      </button>
      <p v-if="seen.errors.length" class="small faded">
        Put these rows right, then choose the file again: nothing is kept till all of them are.
      </p>
    </template>
  </section>
</template>

<style scoped>
.list-in {
  display: grid;
  gap: 8px;
  padding: 12px 16px;
}
.sheets {
  list-style: none;
  margin: 0;
  padding: 0;
  display: grid;
  gap: 10px;
}
.sheets b + span,
.sheets span + span {
  margin-left: 8px;
}
.ask {
  color: var(--ask);
}
.press {
  justify-self: start;
}
</style>
