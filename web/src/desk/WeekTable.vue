<script setup lang="ts">
/** Hours that are planned of hours that there are, by person and day. */
import { computed } from 'vue'
import type { Desk } from '@/api/client'

const props = defineProps<{ desk: Desk }>()
const DAY = new Intl.DateTimeFormat('en-GB', { weekday: 'short', day: 'numeric', timeZone: 'UTC' })
const today = new Date().toISOString().slice(0, 10)
const title = computed(() => (props.desk.week.includes(today) ? 'This week’s windows' : 'Next week’s windows'))
/** Weekends only where something is planned then. */
const days = computed(() => props.desk.week.filter((d, i) => i < 5 || props.desk.windows.some((w) => w.day === d)))
const people = computed(() =>
  [...new Set(props.desk.windows.map((w) => w.who))].sort((a, b) => Number(!a) - Number(!b) || a.localeCompare(b)),
)
const at = (who: string, day: string) => props.desk.windows.find((w) => w.who === who && w.day === day)
const over = (w?: Desk['windows'][number]) => !!w && w.of !== null && w.of !== undefined && w.hours > w.of + 1e-6
</script>

<template>
  <section :aria-label="title" class="week">
    <h2>{{ title }} <span class="small faded">hours planned of hours there are</span></h2>
    <p v-if="!people.length" class="small faded">
      Nothing is planned for it: accepted rounds and windows of runs are shown here.
    </p>
    <table v-else>
      <thead>
        <tr>
          <th scope="col"><span class="visually-hidden">who</span></th>
          <th v-for="d in days" :key="d" scope="col" :class="{ now: d === today }">
            {{ DAY.format(new Date(`${d}T00:00:00Z`)) }}
          </th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="who in people" :key="who">
          <th scope="row">{{ who || 'nobody named' }}</th>
          <td
            v-for="d in days"
            :key="d"
            :class="{ now: d === today, over: over(at(who, d)) }"
            :title="at(who, d)?.what.join('; ')">
            <template v-if="at(who, d)">
              <i v-if="at(who, d)!.of" class="bar"
                ><i :style="{ width: `${Math.min(100, (at(who, d)!.hours / at(who, d)!.of!) * 100)}%` }"></i
              ></i>
              <b>{{ at(who, d)!.hours }}</b><template v-if="at(who, d)!.of !== null && at(who, d)!.of !== undefined">
                of {{ at(who, d)!.of }}</template
              >
            </template>
          </td>
        </tr>
      </tbody>
    </table>
  </section>
</template>

<style scoped>
table {
  width: 100%;
  border-collapse: collapse;
  font-size: 13px;
}
th,
td {
  padding: 4px 6px;
  border-bottom: 1px solid var(--rule);
  text-align: left;
  vertical-align: middle;
  font-weight: inherit;
}
thead th {
  color: var(--faded);
}
.now {
  background: var(--lit);
}
.over {
  color: var(--slow);
}
.bar {
  display: block;
  height: 8px;
  max-width: 64px;
  border: 1px solid var(--module-edge);
}
.bar i {
  display: block;
  height: 100%;
  background: var(--module);
  border-right: 1.5px solid var(--ink);
}
p {
  margin: 4px 0 0;
}
</style>
