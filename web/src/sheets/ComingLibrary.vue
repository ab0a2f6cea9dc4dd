<script setup lang="ts">
/** Sheets and field notes that come in by a file: what each is against the library, and which of them are kept. */
import { onMounted, ref, shallowRef } from 'vue'
import { api, ask, faultsOf, type ComingLibrary } from '@/api/client'
import { plural } from '@/ui/words'
import ClauseChanges from './ClauseChanges.vue'
import { asksOnce, type Asks } from './work'

const emit = defineEmits<{ done: [] }>()
const file = shallowRef<File>()
const coming = shallowRef<ComingLibrary>()
const asks = shallowRef<Asks>()
const chosen = ref(new Set<string>())
const trials = ref(true)
const wrong = ref('')
const told = ref('')
const busy = ref(false)
onMounted(async () => (asks.value = await asksOnce()))

const WORDS = {
  new: 'new',
  same: 'as it is here',
  older: 'an older revision',
  different: 'differs from the one here',
  shipped: 'comes with the tool',
  wrong: 'cannot be read',
} as const

async function send(keep: string[], withTrials: boolean): Promise<ComingLibrary> {
  return ask(
    api.POST('/api/sheets/file', {
      body: { file: file.value as never, keep, trials: withTrials },
      bodySerializer: () => {
        const form = new FormData()
        form.append('file', file.value!)
        for (const id of keep) form.append('keep', id)
        form.append('trials', String(withTrials))
        return form
      },
    }),
  )
}
async function look(event: Event): Promise<void> {
  const input = event.target as HTMLInputElement
  file.value = input.files?.[0]
  coming.value = undefined
  told.value = wrong.value = ''
  if (!file.value) return
  busy.value = true
  try {
    coming.value = await send([], false)
    // What is new comes in unless one says otherwise; what differs only when one says so.
    chosen.value = new Set(coming.value.sheets.filter((s) => s.coming === 'new').map((s) => s.sheet_id))
  } catch (error) {
    wrong.value = faultsOf(error)
  } finally {
    busy.value = false
    input.value = ''
  }
}
async function keep(): Promise<void> {
  busy.value = true
  wrong.value = ''
  try {
    const kept = await send([...chosen.value], trials.value && !!coming.value?.trials)
    const names = kept.sheets.filter((s) => s.kept).map((s) => s.title)
    told.value = `${names.length ? `Kept: ${names.join(', ')}.` : 'No sheet was kept.'}${trials.value && kept.trials ? ` ${plural(kept.trials, 'field note')} noted.` : ''}`
    coming.value = undefined
    emit('done')
  } catch (error) {
    wrong.value = faultsOf(error)
  } finally {
    busy.value = false
  }
}
function toggle(id: string): void {
  const now = new Set(chosen.value)
  if (!now.delete(id)) now.add(id)
  chosen.value = now
}
</script>

<template>
  <section class="panel coming" aria-label="Import">
    <label class="small"
      >A sheet (.yaml), or an archive of sheets and field notes (.zip)
      <input type="file" accept=".yaml,.yml,.json,.zip" :disabled="busy" @change="look"
    /></label>
    <p v-if="wrong" class="wrong" role="alert">{{ wrong }}</p>
    <p v-if="told" role="status">{{ told }}</p>
    <template v-if="coming">
      <ul>
        <li v-for="s in coming.sheets" :key="s.file + s.number">
          <label>
            <input
              v-if="s.coming === 'new' || s.coming === 'different'"
              type="checkbox"
              :checked="chosen.has(s.sheet_id)"
              @change="toggle(s.sheet_id)" />
            <b>{{ s.title || s.file }}</b>{{ ' ' }}
            <span :class="{ wrong: s.coming === 'wrong', ask: s.coming === 'different' }">{{ WORDS[s.coming] }}</span>
            <span v-if="s.coming === 'different'" class="faded small">{{
              chosen.has(s.sheet_id) ? 'becomes the newest revision' : 'stays out'
            }}</span>
          </label>
          <p v-for="f in s.faults" :key="f" class="wrong small">{{ f }}</p>
          <ClauseChanges
            v-if="s.changes.length && asks"
            :changes="s.changes"
            :asks="asks"
            was="here"
            now="in the file" />
        </li>
      </ul>
      <label v-if="coming.trials" class="small"
        ><input v-model="trials" type="checkbox" /> {{ plural(coming.trials, 'field note') }} that nobody has noted
        here</label
      >
      <p v-for="f in coming.trial_faults" :key="f" class="wrong small">Field notes: {{ f }}</p>
      <button
        type="button"
        class="press slim"
        :disabled="busy || (!chosen.size && !(trials && coming.trials))"
        @click="keep">
        {{ chosen.size ? `Keep ${plural(chosen.size, 'sheet')}` : 'Note them' }}
      </button>
    </template>
  </section>
</template>

<style scoped>
.coming {
  display: grid;
  gap: 8px;
  padding: 12px 16px;
}
ul {
  list-style: none;
  margin: 0;
  padding: 0;
  display: grid;
  gap: 8px;
}
p {
  margin: 0;
}
.ask {
  color: var(--ask);
}
</style>
