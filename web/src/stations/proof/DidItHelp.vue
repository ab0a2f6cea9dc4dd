<script setup lang="ts">
/** What the machine showed before the work beside what it shows since: whether the upgrade helped with what it was made for. */
import type { Beside } from '@/api/client'
import { session } from '@/frame/session'
import SeenForm from '@/stations/target/SeenForm.vue'
import { useSymptoms } from '@/stations/target/symptoms'
import { gb, percent } from '@/ui/figures'

const props = defineProps<{ machineId: string; ended: boolean }>()
const { view, wrong, open, kept } = useSymptoms(() => [props.machineId, props.ended])
function figure(f: Beside, value: number | null): string {
  if (value === null) return 'not looked at'
  if (f.unit === 'share') return percent(value)
  if (f.unit === 'yes') return value ? 'yes' : 'no'
  return f.unit ? `${gb(value)} ${f.unit}` : gb(value)
}
const WORDS = { true: 'It helped', false: 'It did not help', null: 'Whether it helped is not known yet' }
</script>

<template>
  <section v-if="view && (view.helped || wrong)" class="panel" aria-labelledby="helped-title">
    <template v-if="view.helped">
      <h2 id="helped-title">{{ WORDS[`${view.helped.helped}`] }}</h2>
      <table>
        <thead>
          <tr>
            <th scope="col">what it showed</th>
            <th scope="col">before</th>
            <th scope="col">since</th>
            <th scope="col"></th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="f in view.helped.figures" :key="f.what">
            <th scope="row">{{ f.what }}</th>
            <td>{{ figure(f, f.before) }}</td>
            <td>{{ figure(f, f.after) }}</td>
            <td :class="f.change">{{ f.change }}</td>
          </tr>
        </tbody>
      </table>
      <button v-if="session.mayWrite()" type="button" class="quiet-link" :aria-expanded="open" @click="open = !open">
        What does it show now?
      </button>
      <SeenForm v-if="open" :machine-id="machineId" :told="view.told_used_gib" @kept="kept" />
    </template>
    <p v-if="wrong" class="wrong small" role="alert">{{ wrong }}</p>
  </section>
</template>

<style scoped>
section {
  padding: 10px 16px 12px;
}
table {
  width: 100%;
  border-collapse: collapse;
  font-size: 14px;
}
th,
td {
  text-align: left;
  font-weight: 400;
  padding: 3px 10px 3px 0;
  border-bottom: 1px solid var(--rule);
}
thead th {
  color: var(--faded);
  font-size: 13px;
}
.better {
  color: var(--go);
  font-weight: 650;
}
.worse {
  color: var(--stop);
  font-weight: 650;
}
</style>
