<script setup lang="ts">
/** Clauses that a machine, or somebody at it, contradicted: what accepting would change, accepted at a press or refused with a reason. */
import { ref } from 'vue'
import { api, ask, type SheetPage } from '@/api/client'
import SeverityMark from '@/ui/SeverityMark.vue'
import { age } from '@/ui/words'
import ClauseChanges from './ClauseChanges.vue'
import { work } from './work'

defineProps<{ doubts: SheetPage['doubts']; revision: number }>()
const emit = defineEmits<{ question: [key: string]; changed: [] }>()
const w = work()
const refusing = ref('')
const why = ref('')

async function accept(id: string): Promise<void> {
  if (await w.doing(() => ask(api.POST('/api/doubts/{doubt_id}/acceptance', { params: { path: { doubt_id: id } } }))))
    emit('changed')
}
async function refuse(id: string): Promise<void> {
  const body = { refused: why.value.trim() }
  if (
    !(await w.doing(() =>
      ask(api.POST('/api/doubts/{doubt_id}/settlement', { params: { path: { doubt_id: id } }, body })),
    ))
  )
    return
  why.value = refusing.value = ''
  emit('changed')
}
/** The question of this sheet that a place leads to: in a sheet of like sockets, that of the block. */
const questionLike = (key: string) =>
  w.questions.value.find((q) => q.key === key || q.key.endsWith(`.${key}`))?.key ?? ''
</script>

<template>
  <section class="doubts" aria-label="Clauses in doubt">
    <div v-for="d in doubts" :key="d.id" class="doubt">
      <div>
        <p>
          <SeverityMark severity="ask" /> <b>“{{ d.words }}”</b>
        </p>
        <p class="small faded">
          {{ d.clause
          }}<template v-for="(s, i) in d.seen" :key="i"
            >{{ i ? '; and ' : ', ' }}{{ s.by }}{{ s.machine ? ` at ${s.machine}` : '' }}, {{ age(s.at) }}</template
          >
        </p>
      </div>
      <div>
        <ClauseChanges
          v-if="d.changes.length && w.asks.value"
          :changes="d.changes"
          :asks="w.asks.value"
          was="as kept"
          now="as seen" />
        <p v-else-if="d.question" class="small">
          <button type="button" class="quiet-link" @click="$emit('question', questionLike(d.question))">
            Answer its question</button
          >{{ ' ' }}
          <span class="faded">It does not say what the sheet should say instead.</span>
        </p>
      </div>
      <div class="acts">
        <b v-if="d.accepted" class="small">In the draft; settled when it is kept.</b>
        <button v-else-if="d.changes.length" type="button" class="press slim" @click="accept(d.id)">
          Accept into revision {{ revision }}
        </button>
        <form v-if="refusing === d.id" class="refuse" @submit.prevent="refuse(d.id)">
          <input v-model="why" required maxlength="200" aria-label="Why it is not so" placeholder="why it is not so" />
          <button type="submit" class="press slim quiet">Not so</button>
        </form>
        <button v-else type="button" class="quiet-link" @click="refusing = d.id">Not so, because …</button>
      </div>
    </div>
  </section>
</template>

<style scoped>
.doubts {
  max-height: 34vh;
  overflow-y: auto;
  background: var(--lit);
  border-bottom: 1px solid var(--rule);
}
.doubt {
  display: grid;
  grid-template-columns: minmax(0, 1fr) minmax(0, 1.4fr) minmax(180px, auto);
  gap: 8px 20px;
  padding: 8px 16px;
}
.doubt + .doubt {
  border-top: 1px solid var(--rule);
}
.doubt p {
  margin: 0;
}
.acts {
  display: grid;
  gap: 6px;
  justify-items: start;
  align-content: start;
}
.refuse {
  display: flex;
  gap: 8px;
}
.refuse input {
  height: 30px;
  padding: 0 8px;
  border: 1px solid var(--module-edge);
  border-radius: 4px;
  background: var(--sheet);
  color: var(--ink);
}
@media (max-width: 900px) {
  .doubt {
    grid-template-columns: minmax(0, 1fr);
  }
}
</style>
