<script setup lang="ts">
/** Lines of qualified lists whose model no sheet was called by: into the sheet that is, into another, or forgotten. */
import { ref, shallowRef } from 'vue'
import { api, ask, faultsOf, type LibraryLine, type WaitingModel } from '@/api/client'
import { health } from '@/api/health'
import { session } from '@/frame/session'
import { useLoaded } from '@/frame/live'
import { plural } from '@/ui/words'

const props = defineProps<{ lines: LibraryLine[] }>()
const emit = defineEmits<{ done: [] }>()
const models = shallowRef<WaitingModel[]>([])
const chosen = ref<Record<string, string>>({})
const wrong = ref('')
const told = ref('')

async function load(): Promise<void> {
  try {
    models.value = await ask(api.GET('/api/lists/waiting'))
    wrong.value = ''
  } catch (error) {
    wrong.value = faultsOf(error)
  }
}
useLoaded(() => null, load)
defineExpose({ load })
const wanted = (m: WaitingModel): string => chosen.value[m.model] ?? m.sheet_hash ?? ''
async function end(m: WaitingModel, into: string | null): Promise<void> {
  wrong.value = told.value = ''
  try {
    const found = await ask(api.POST('/api/lists/waiting', { body: { model: m.model, into: into as never } }))
    if (found)
      told.value = `${plural(found.added.length, 'part')} listed in ${found.title}${found.draft_by ? `, in the draft of ${found.draft_by}` : ''}.`
    emit('done')
    await load()
  } catch (error) {
    wrong.value = faultsOf(error)
  }
}
const sheets = () => props.lines.filter((l) => !l.sheet.archetype && !l.retired)
</script>

<template>
  <section
    v-if="models.length || told || (wrong && !health.trouble)"
    class="panel waits small"
    aria-label="Lists that wait for a sheet">
    <p v-if="told" role="status">{{ told }}</p>
    <p v-if="wrong && !health.trouble" class="wrong" role="alert">{{ wrong }}</p>
    <p v-for="m in models" :key="m.model" class="line">
      <span
        ><b>{{ m.model }}</b
        >: {{ plural(m.parts.length, 'part') }} of {{ m.lists.join(', ') }}
        <span class="faded">{{ m.sheet_title ? `for ${m.sheet_title}` : 'wait for a sheet of that name' }}</span></span
      >
      <template v-if="session.mayWrite()">
        <select
          :value="wanted(m)"
          :aria-label="`Sheet for ${m.model}`"
          @change="chosen = { ...chosen, [m.model]: ($event.target as HTMLSelectElement).value }">
          <option value="" disabled>a sheet</option>
          <option v-for="l in sheets()" :key="l.sheet.hash" :value="l.sheet.hash">{{ l.sheet.title }}</option>
        </select>
        <button type="button" class="quiet-link" :disabled="!wanted(m)" @click="end(m, wanted(m))">
          List them there
        </button>
        <button type="button" class="quiet-link" :aria-label="`Forget the lines of ${m.model}`" @click="end(m, null)">
          Forget them
        </button>
      </template>
    </p>
  </section>
</template>

<style scoped>
.waits {
  display: grid;
  gap: 6px;
  padding: 10px 16px;
}
.line select {
  height: 30px;
  padding: 0 6px;
  border: 1px solid var(--module-edge);
  border-radius: 4px;
  background: var(--sheet);
  color: var(--ink);
}
.line {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 14px;
  align-items: center;
  margin: 0;
}
</style>
