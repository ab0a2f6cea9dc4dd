<script setup lang="ts">
/** How well trouble was predicted: each approval beside what its proof found, and the score once there are enough. */
import { onMounted, ref, shallowRef } from 'vue'
import { api, ask, wordsOf, type Calibration } from '@/api/client'
import { percent } from '@/ui/figures'
import { OUTCOMES, outcomeShape } from './words'

const found = shallowRef<Calibration>()
const wrong = ref('')
onMounted(async () => {
  try {
    found.value = await ask(api.GET('/api/trials/calibration'))
  } catch (error) {
    wrong.value = wordsOf(error)
  }
})
</script>

<template>
  <section class="panel calibration" aria-labelledby="calibration-title">
    <h2 id="calibration-title">How well trouble was predicted</h2>
    <p v-if="wrong" class="wrong" role="alert">{{ wrong }}</p>
    <template v-if="found">
      <p v-if="!found.lines.length" class="small faded">
        Nothing to compare yet: a plan that a lead approves keeps what was predicted, and its proof, or backing out with
        an outcome, says what came of it.
      </p>
      <template v-else>
        <p class="small">
          <template v-if="found.brier !== null"
            >Brier score <b>{{ found.brier.toFixed(3) }}</b> of {{ found.counted }}: 0 is always right, 0.25 no better
            than a coin.</template
          >
          <template v-else
            >{{ found.counted }} {{ found.counted === 1 ? 'plan counts' : 'plans count' }}; from {{ found.enough }} on
            there is a score.</template
          >
        </p>
        <table v-if="found.bands.length">
          <thead>
            <tr>
              <th scope="col">predicted trouble</th>
              <th scope="col">plans</th>
              <th scope="col">on average</th>
              <th scope="col">came so</th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="b in found.bands" :key="b.low">
              <th scope="row">{{ Math.round(100 * b.low) }} to {{ percent(b.high) }}</th>
              <td>{{ b.count }}</td>
              <td>{{ percent(b.predicted) }}</td>
              <td>{{ b.failed }} of {{ b.count }}</td>
            </tr>
          </tbody>
        </table>
        <table>
          <thead>
            <tr>
              <th scope="col">plan</th>
              <th scope="col">approved</th>
              <th scope="col">predicted</th>
              <th scope="col">came of it</th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="l in found.lines" :key="l.machine + l.ended_at" :class="{ faded: !l.counts }">
              <th scope="row">
                <router-link class="quiet-link" :to="`/machines/${l.machine_id}/proof`">{{ l.machine }}</router-link>
                {{ l.plan }}
              </th>
              <td>{{ l.approved_at.slice(0, 10) }}</td>
              <td>
                {{ percent(l.trouble) }}<span v-if="!l.counts" class="small"> by an older model: not counted</span>
              </td>
              <td>
                <svg width="12" height="12" viewBox="0 0 12 12" aria-hidden="true">
                  <path :d="outcomeShape(l.outcome)" />
                </svg>
                {{ OUTCOMES[l.outcome] }}, {{ l.ended_at.slice(0, 10) }}
              </td>
            </tr>
          </tbody>
        </table>
      </template>
    </template>
  </section>
</template>

<style scoped>
.calibration {
  padding: 12px 18px;
  display: grid;
  gap: 8px;
  overflow-x: auto;
}
p {
  margin: 0;
}
table {
  border-collapse: collapse;
  font-size: 14px;
  width: max-content;
  max-width: 100%;
}
th,
td {
  text-align: left;
  font-weight: 400;
  padding: 3px 18px 3px 0;
  border-top: 1px solid var(--rule);
}
thead th {
  font-size: 13px;
  color: var(--faded);
  border: 0;
}
svg {
  fill: currentColor;
}
</style>
