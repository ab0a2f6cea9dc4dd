<script setup lang="ts">
/** What doubts start from: every number with its reason. None is measured; a lead may set them, and what is set is marked. */
import { computed, onMounted, reactive, ref, shallowRef } from 'vue'
import { api, ask, Refusal, wordsOf, type EvidenceNumber } from '@/api/client'
import { session } from '@/frame/session'
import { numbersIn } from '@/ui/form'

const emit = defineEmits<{ saved: [] }>()
const kept = shallowRef<EvidenceNumber[]>([])
const wrong = ref('')
const typed = reactive<Record<string, string>>({})
const mayWrite = () => session.account?.role === 'lead'
const GROUPS: Record<string, string> = {
  figures: 'Chance that it works past a figure; the same again for each doubling',
  parts: 'Chance that it works, of other doubts',
  weights: 'What a trial weighs: one of weight 1 that ran multiplies odds by 100, one that failed divides them by 10',
  quirks: 'How often something is shown oddly where it runs',
  early: 'How often a module fails in its first months',
}
const groups = computed(() =>
  Object.entries(GROUPS).map(([key, words]) => ({ key, words, numbers: kept.value.filter((n) => n.group === key) })),
)
const changed = computed(() => kept.value.filter((n) => n.set_here).length)

function show(found: EvidenceNumber[]): void {
  kept.value = found
  for (const n of found) typed[n.name] = String(n.value)
}
onMounted(async () => show(await ask(api.GET('/api/trials/table'))))

async function send(values: Record<string, number>): Promise<void> {
  wrong.value = ''
  try {
    show(await ask(api.PUT('/api/trials/table', { body: { numbers: values } })))
    emit('saved')
  } catch (error) {
    wrong.value =
      error instanceof Refusal && error.problem.errors?.length
        ? error.problem.errors.map((e) => e.message).join(' ')
        : wordsOf(error)
  }
}
async function keep(): Promise<void> {
  try {
    const values = numbersIn(typed)
    const usual = new Map(kept.value.map((n) => [n.name, n.usual]))
    await send(
      Object.fromEntries(Object.entries(values).filter(([name, v]) => v !== null && v !== usual.get(name))) as Record<
        string,
        number
      >,
    )
  } catch (error) {
    wrong.value = wordsOf(error)
  }
}
</script>

<template>
  <form v-if="kept.length" class="panel fields numbers" aria-label="What doubts start from" @submit.prevent="keep">
    <p class="small faded">None of these is measured: each has its reason, and an installation may set its own.</p>
    <table v-for="g in groups" :key="g.key">
      <caption class="small">
        {{
          g.words
        }}
      </caption>
      <tbody>
        <tr v-for="n in g.numbers" :key="n.name" :class="{ set: n.set_here }">
          <th scope="row">{{ n.words }}</th>
          <td>
            <label v-if="mayWrite()"
              ><span class="visually-hidden">{{ n.words }}</span
              ><input v-model="typed[n.name]" inputmode="decimal"
            /></label>
            <template v-else>{{ n.value }}</template>
          </td>
          <td class="small faded">
            {{ n.because }}<b v-if="n.set_here" class="here"> set here; as it ships {{ n.usual }}</b>
          </td>
        </tr>
      </tbody>
    </table>
    <p v-if="wrong" class="wrong" role="alert">{{ wrong }}</p>
    <div class="rest">
      <button v-if="mayWrite()" class="press" type="submit">Keep</button>
      <button v-if="mayWrite() && changed" type="button" class="quiet-link" @click="send({})">All as they ship</button>
      <span v-if="!mayWrite()" class="small faded">A lead may set them.</span>
    </div>
  </form>
</template>

<style scoped>
.numbers {
  padding: 12px 18px;
  position: relative;
  overflow-x: auto;
}
p {
  margin: 0 0 6px;
}
table {
  border-collapse: collapse;
  font-size: 14px;
  width: 100%;
  table-layout: fixed;
}
td:nth-child(2) {
  width: 110px;
}
caption {
  text-align: left;
  font-weight: 650;
  padding: 8px 0 2px;
}
th,
td {
  text-align: left;
  font-weight: 400;
  padding: 2px 12px 2px 0;
}
th {
  width: 34%;
}
td label {
  width: 84px;
}
.set th,
.here {
  color: var(--umber);
  font-weight: 650;
}
.rest {
  display: flex;
  flex-wrap: wrap;
  gap: 8px 16px;
  align-items: center;
  margin-top: 8px;
}
</style>
