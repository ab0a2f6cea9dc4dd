<script setup lang="ts">
/** What is to be known about the machine's sheet: a newer revision and what it would change, clauses that are in doubt. */
import { ref, shallowRef, watch } from 'vue'
import { api, ask, wordsOf, type MachineView, type NewerSheet } from '@/api/client'
import { session } from '@/frame/session'
import SeverityMark from '@/ui/SeverityMark.vue'
import { VERDICTS } from '@/ui/verdict'

const props = defineProps<{ machine: MachineView }>()
const emit = defineEmits<{ changed: [] }>()
const newer = shallowRef<NewerSheet | null>(null)
const wrong = ref('')
const path = () => ({ params: { path: { machine_id: props.machine.id } } })
watch(
  () => [props.machine.id, props.machine.sheet_hash],
  async () => {
    try {
      newer.value = await ask(api.GET('/api/machines/{machine_id}/newer-sheet', path()))
    } catch {
      newer.value = null // the banner tells
    }
  },
  { immediate: true },
)
async function act(work: () => Promise<unknown>): Promise<void> {
  wrong.value = ''
  try {
    await work()
    emit('changed')
  } catch (error) {
    wrong.value = wordsOf(error)
  }
}
const take = () =>
  act(() =>
    ask(api.POST('/api/machines/{machine_id}/newer-sheet', { ...path(), body: { version: props.machine.version } })),
  )
const settle = (id: string) =>
  act(() => ask(api.POST('/api/doubts/{doubt_id}/settlement', { params: { path: { doubt_id: id } } })))
</script>

<template>
  <div v-if="newer || machine.doubts.length || wrong" class="notices small">
    <p v-if="newer">
      Its sheet has a newer revision ({{ newer.revision }}):
      <template v-for="(l, i) in newer.layouts" :key="l.name"
        ><template v-if="i">; </template>{{ l.name }}
        {{
          l.was === l.verdict
            ? `stays ${VERDICTS[l.verdict].words}`
            : `would be ${VERDICTS[l.verdict].words} instead of ${VERDICTS[l.was].words}`
        }}</template
      >.
      <button v-if="session.mayWrite()" type="button" class="quiet-link" @click="take">Judge by it from now on</button>
    </p>
    <p v-for="d in machine.doubts" :key="d.id">
      <SeverityMark severity="ask" /> <b>{{ d.clause }}</b> is in doubt<template
        v-if="d.code === 'bench' || d.code === 'survey'"
        >: “{{ d.words }}”.
        <span class="faded"
          >{{ d.by }}, {{ d.code === 'bench' ? 'at the bench' : 'in Survey'
          }}{{ d.seen.length > 1 ? ` and ${d.seen.length - 1} more` : '' }}</span
        ></template
      ><template v-else
        >: a machine of this model proposes otherwise.
        <span class="faded">The sheet says: {{ d.words }}. {{ d.by }}</span></template
      >
      <router-link class="quiet-link" :to="`/sheets/${machine.sheet_hash}`">{{
        d.accepted ? 'Accepted into the next revision' : 'To the sheet'
      }}</router-link>
      <button v-if="session.mayWrite()" type="button" class="quiet-link" @click="settle(d.id)">
        It was looked into
      </button>
    </p>
    <p v-if="wrong" class="wrong" role="alert">{{ wrong }}</p>
  </div>
</template>

<style scoped>
.notices {
  margin: 8px 16px 0 12px;
  padding: 6px 14px;
  border: 1px solid var(--rule);
  border-left: 3px solid var(--ask);
  background: var(--sheet);
}
p {
  margin: 2px 0;
}
</style>
