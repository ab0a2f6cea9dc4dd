<script setup lang="ts">
/** What the machine tells in all against what was planned, and beside it what another of its model shows. */
import { computed, ref, shallowRef } from 'vue'
import { api, ask, wordsOf, type PeerView, type Proof } from '@/api/client'
import { gb } from '@/ui/figures'
import { age } from '@/ui/words'

const props = defineProps<{ proof: Proof; seen: NonNullable<Proof['seen']>; machineId: string }>()
const peers = shallowRef<PeerView[]>()
const chosen = ref('')
const wrong = ref('')
const peer = computed(() => peers.value?.find((p) => p.id === chosen.value))

async function look(): Promise<void> {
  try {
    peers.value = await ask(
      api.GET('/api/machines/{machine_id}/peers', { params: { path: { machine_id: props.machineId } } }),
    )
    chosen.value = peers.value[0]?.id ?? ''
  } catch (error) {
    wrong.value = wordsOf(error)
  }
}
/** In the order of the rows above: installed, usable, reserved. */
const told = computed(() => {
  const p = peer.value
  const kept = p && p.installed_gib !== null && p.usable_gib !== null ? p.installed_gib! - p.usable_gib! : null
  return [p?.installed_gib ?? null, p?.usable_gib ?? null, kept]
})
const inGb = (x: number | null) => (x === null ? 'not told' : `${gb(x)} GB`)
const sum = (counts: (number | null | undefined)[]) => {
  const known = counts.filter((n): n is number => n !== null && n !== undefined)
  return known.length ? known.reduce((a, b) => a + b, 0) : null
}
/** Errors that it counted, by its newest reading. */
const mine = computed(() =>
  sum(Object.values(props.proof.soak?.readings.at(-1)?.slots ?? {}).map((s) => s.correctable)),
)
const count = (n: number | null | undefined) => (n === null || n === undefined ? 'not told' : String(n))
</script>

<template>
  <section class="panel totals" aria-labelledby="totals-title">
    <h2 id="totals-title">Totals</h2>
    <table>
      <thead>
        <tr>
          <td></td>
          <th scope="col">planned</th>
          <th scope="col">seen</th>
          <th v-if="peer" scope="col">{{ peer.name }}</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="(t, i) in seen.comparison.totals" :key="t.name">
          <th scope="row">{{ t.name }}</th>
          <td>{{ t.bound && !t.planned ? 'not told' : `${t.bound} ${gb(t.planned)} GB` }}</td>
          <td :class="{ bad: t.right === false }">
            <b>{{ t.seen === null ? 'not told' : `${gb(t.seen)} GB` }}</b><span
              v-if="t.words"
              class="faded small words"
              >{{ t.words }}</span
            >
          </td>
          <td v-if="peer">{{ inGb(told[i] ?? null) }}</td>
        </tr>
        <tr>
          <th scope="row">rate</th>
          <td>{{ seen.comparison.rate.planned_mts ?? '?' }}</td>
          <td :class="{ bad: seen.comparison.rate.right === false }">
            <b>{{ seen.comparison.rate.seen_mts ?? 'not told' }}</b><span
              v-if="seen.comparison.rate.words"
              class="faded small words"
              >{{ seen.comparison.rate.words }}</span
            >
          </td>
          <td v-if="peer"></td>
        </tr>
        <template v-if="peer">
          <tr>
            <th scope="row">corrected errors</th>
            <td></td>
            <td>{{ count(mine) }}</td>
            <td>{{ count(peer.correctable) }}</td>
          </tr>
          <tr>
            <th scope="row">alerts</th>
            <td></td>
            <td>{{ proof.alerts.length ? proof.alerts.map((a) => a.text).join('; ') : 'none noted' }}</td>
            <td>{{ peer.alerts.length ? peer.alerts.map((a) => a.text).join('; ') : 'none noted' }}</td>
          </tr>
          <tr>
            <th scope="row">firmware</th>
            <td></td>
            <td></td>
            <td>{{ peer.firmware ?? 'not known' }}</td>
          </tr>
        </template>
      </tbody>
    </table>
    <p v-if="wrong" class="wrong small" role="alert">{{ wrong }}</p>
    <p v-if="!peers" class="beside">
      <button type="button" class="quiet-link small" @click="look">Hold it against another of its model</button>
    </p>
    <p v-else-if="!peers.length" class="beside small faded">No other machine of this model is looked after here.</p>
    <p v-else class="beside small">
      <label
        >beside
        <select v-model="chosen">
          <option v-for="p in peers" :key="p.id" :value="p.id">{{ p.name }}{{ p.but ? ` (${p.but})` : '' }}</option>
        </select></label
      >
      <span v-if="peer" class="faded">
        surveyed {{ age(peer.surveyed_at) }}<template v-if="peer.but">; no good measure: {{ peer.but }}</template></span
      >
    </p>
  </section>
</template>

<style scoped>
.totals {
  padding: 10px 16px 12px;
}
table {
  width: 100%;
  border-collapse: collapse;
  margin-top: 4px;
}
th {
  text-align: left;
  font-weight: 400;
  color: var(--faded);
  font-size: 13px;
}
th,
td {
  padding: 5px 8px 5px 0;
  border-bottom: 1px solid var(--rule);
  vertical-align: top;
}
td b,
td:nth-child(2) {
  white-space: nowrap;
}
.bad b {
  color: var(--stop);
}
.words {
  display: block;
  line-height: 1.25;
}
.beside {
  margin: 8px 0 0;
}
select {
  max-width: 200px;
  min-height: 30px;
}
@media (max-width: 700px) {
  select,
  .quiet-link {
    min-height: 44px;
  }
}
.wrong {
  color: var(--stop);
}
</style>
