<script setup lang="ts">
/** A table of modules or offers: what each row was understood as is seen before anything is kept. */
import { ref, shallowRef } from 'vue'
import { api, ask, Refusal, wordsOf, type TakenTable } from '@/api/client'
import SeverityMark from '@/ui/SeverityMark.vue'
import ColumnMeanings from '@/ui/ColumnMeanings.vue'
import { plural } from '@/ui/words'

const props = defineProps<{ kind: 'stock' | 'offers' }>()
const emit = defineEmits<{ saved: []; leave: [] }>()
const file = shallowRef<File>()
const preview = shallowRef<TakenTable>()
/** What somebody says that its columns mean. */
const meant = ref<Record<string, string>>({})
const busy = ref(false)
const faults = ref<string[]>([])
const COLUMNS = {
  stock: 'module, count; also part, state, where, serial, note',
  offers: 'part, price; also supplier, module, currency, kit, stock, lead days, listed, date',
}

async function send(keep: boolean): Promise<void> {
  faults.value = []
  const body = new FormData()
  body.append('file', file.value!)
  body.append('keep', String(keep))
  for (const [column, meaning] of Object.entries(meant.value)) body.append('meant', `${column}=${meaning}`)
  busy.value = true
  try {
    const found = await ask(
      api.POST('/api/shelf/file', {
        params: { query: { kind: props.kind } },
        body: body as never,
        bodySerializer: (b: unknown) => b as FormData,
      }),
    )
    preview.value = found
    if (found.kept) emit('saved')
  } catch (error) {
    preview.value = undefined
    faults.value =
      error instanceof Refusal && error.problem.errors?.length
        ? error.problem.errors.map((e) => e.message)
        : [wordsOf(error)]
  } finally {
    busy.value = false
  }
}
function chosen(event: Event): void {
  file.value = (event.target as HTMLInputElement).files?.[0]
  meant.value = {}
  if (file.value) void send(false)
}
function means(more: Record<string, string>): void {
  meant.value = { ...meant.value, ...more }
  void send(false)
}
</script>

<template>
  <div class="in">
    <p class="small">
      CSV or XLSX with columns {{ COLUMNS[kind] }}.
      <label class="quiet-link pick"
        >Choose the file<input type="file" accept=".csv,.tsv,.xlsx" class="visually-hidden" @change="chosen" /></label
      >{{ ' ' }}
      <button type="button" class="quiet-link" @click="emit('leave')">Cancel</button>
    </p>
    <ul v-if="faults.length" class="wrong" role="alert">
      <li v-for="f in faults" :key="f">{{ f }}</li>
    </ul>
    <template v-if="preview">
      <p v-if="preview.missing.length" class="lacks small" role="alert">
        <SeverityMark severity="ask" /> Which column is the {{ preview.missing.join(', which the ') }}? Say so below.
      </p>
      <ColumnMeanings
        :columns="preview.columns"
        :above="preview.above"
        :meanings="preview.meanings"
        :besides="{ 'left out': 'left out' }"
        others="the others are left out"
        :open="preview.missing.length > 0 || preview.errors.length > 0 || Object.keys(meant).length > 0"
        :busy="busy"
        @meant="means" />
      <ul v-if="preview.errors.length" class="wrong" role="alert">
        <li v-for="e in preview.errors" :key="`${e.row} ${e.column}`">
          row {{ e.row }}, {{ e.column }}: {{ e.message }}
        </li>
      </ul>
      <table class="small">
        <tbody>
          <tr v-for="l in preview.lines.slice(0, 12)" :key="l.row">
            <td class="faded">row {{ l.row }}</td>
            <td class="mono">{{ l.part }}</td>
            <td>{{ l.words }}</td>
            <td>{{ l.detail }}</td>
          </tr>
        </tbody>
      </table>
      <p v-if="preview.lines.length > 12" class="small faded">and {{ preview.lines.length - 12 }} more</p>
      <button
        v-if="!preview.missing.length"
        type="button"
        class="press slim"
        :disabled="busy || preview.errors.length > 0 || !preview.lines.length"
        @click="send(true)">
        Keep {{ plural(preview.lines.length, 'row') }}
      </button>
      <p v-if="preview.errors.length" class="small faded">
        Put these rows right, then choose the file again: nothing is kept till all of them are.
      </p>
    </template>
  </div>
</template>

<style scoped>
.in {
  padding: 0 18px 14px;
}
.lacks {
  display: flex;
  gap: 8px;
  align-items: baseline;
}
.pick {
  cursor: pointer;
}
.pick:focus-within {
  outline: 2px solid var(--umber);
}
td {
  padding: 2px 16px 2px 0;
}
</style>
