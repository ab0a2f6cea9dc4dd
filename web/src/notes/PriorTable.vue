<script setup lang="ts">
/** Where beliefs start: pseudo-counts of each outcome by kind of claim, and how trials weigh. A lead may set them. */
import { onMounted, reactive, ref, shallowRef } from 'vue'
import { api, ask, Refusal, wordsOf, type Evidence } from '@/api/client'
import { session } from '@/frame/session'
import { CLAIMS, OUTCOMES } from './words'

const emit = defineEmits<{ saved: [] }>()
const kept = shallowRef<Evidence>()
const wrong = ref('')
const counts = reactive<Record<string, Record<string, string>>>({})
const rest = reactive({ half_life_days: '', full_soak_days: '', unsoaked: '' })
const FIELDS = { fine: 'fine', quirks: 'quirks', not_seen: 'not-seen', unstable: 'unstable' } as const
const mayWrite = () => session.account?.role === 'lead'

function show(found: Evidence): void {
  kept.value = found
  for (const p of found.priors) counts[p.kind] = Object.fromEntries(Object.keys(FIELDS).map((f) => [f, String(p[f as keyof typeof FIELDS])]))
  for (const f of Object.keys(rest) as (keyof typeof rest)[]) rest[f] = String(found[f])
}
onMounted(async () => show(await ask(api.GET('/api/trials/table'))))
const number = (text: string) => Number(text.trim().replace(',', '.'))

async function keep(): Promise<void> {
  wrong.value = ''
  try {
    const priors = kept.value!.priors.map(({ kind }) => ({ kind, fine: number(counts[kind]!.fine!), quirks: number(counts[kind]!.quirks!), not_seen: number(counts[kind]!.not_seen!), unstable: number(counts[kind]!.unstable!) }))
    show(await ask(api.PUT('/api/trials/table', { body: { priors, half_life_days: number(rest.half_life_days), full_soak_days: number(rest.full_soak_days), unsoaked: number(rest.unsoaked) } })))
    emit('saved')
  } catch (error) {
    wrong.value = error instanceof Refusal && error.problem.errors?.length ? error.problem.errors.map((e) => `${e.field}: ${e.message}`).join('; ') : wordsOf(error)
  }
}
</script>

<template>
  <form v-if="kept" class="panel fields priors" aria-label="Where beliefs start" @submit.prevent="keep">
    <p class="small faded">With no trial, a claim is believed by these counts: they weigh as much as so many trials of the best kind. None is measured; each has its reason.</p>
    <table>
      <thead>
        <tr><th scope="col">claim</th><th v-for="(outcome, f) in FIELDS" :key="f" scope="col">{{ OUTCOMES[outcome] }}</th><th scope="col">because</th></tr>
      </thead>
      <tbody>
        <tr v-for="p in kept.priors" :key="p.kind">
          <th scope="row">{{ CLAIMS[p.kind] }}</th>
          <td v-for="(outcome, f) in FIELDS" :key="f">
            <label v-if="mayWrite()"><span class="visually-hidden">{{ CLAIMS[p.kind] }}: {{ OUTCOMES[outcome] }}</span><input v-model="counts[p.kind]![f]" inputmode="decimal" /></label>
            <template v-else>{{ p[f] }}</template>
          </td>
          <td class="small" :class="{ faded: !p.set_here }">{{ p.because }}</td>
        </tr>
      </tbody>
    </table>
    <div class="rest">
      <label>A trial weighs half after [days] <input v-model="rest.half_life_days" inputmode="decimal" :disabled="!mayWrite()" /></label>
      <label>Fully after it ran for [days] <input v-model="rest.full_soak_days" inputmode="decimal" :disabled="!mayWrite()" /></label>
      <label>One that was not let run weighs <input v-model="rest.unsoaked" inputmode="decimal" :disabled="!mayWrite()" /></label>
      <button class="press" v-if="mayWrite()" type="submit">Keep</button>
      <span v-else class="small faded">A lead may set them.</span>
    </div>
    <p v-if="wrong" class="wrong" role="alert">{{ wrong }}</p>
  </form>
</template>

<style scoped>
.priors {
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
}
th,
td {
  text-align: left;
  font-weight: 400;
  padding: 3px 12px 3px 0;
}
thead th {
  font-size: 13px;
  color: var(--faded);
}
td label {
  width: 74px;
}
.rest {
  display: flex;
  flex-wrap: wrap;
  gap: 8px 16px;
  align-items: end;
  margin-top: 10px;
}
</style>
