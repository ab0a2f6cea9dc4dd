<script setup lang="ts">
/** The same total two ways: the plan and the one that opens the machine least, by minutes, bandwidth, price and warranty. */
import { computed } from 'vue'
import type { Board, SameWay } from '@/api/client'
import { gb } from '@/ui/figures'
import VerdictWord from '@/ui/VerdictWord.vue'
import { money } from '../routes/words'
import type { Changes } from './plan'

const props = defineProps<{ ways: SameWay[]; board: Board; mayWrite: boolean }>()
defineEmits<{ take: [changes: Changes] }>()
const printed = (slot: string) => props.board.slots.find((s) => s.id === slot)?.printed ?? slot
const longest = computed(() => Math.max(1, ...props.ways.map((w) => w.minutes ?? 0)))
const rows = computed(() =>
  props.ways.map((w, i) => ({
    ...w,
    mine: i === 0,
    what: Object.entries(w.puts_in)
      .map(([slot, m]) => `${m && m !== 'unknown' ? `${gb(m.capacity_gib)} GB` : '?'} into ${printed(slot)}`)
      .join(', '),
    hands: [
      w.takes_out.length ? `${w.takes_out.map(printed).join(', ')} out` : '',
      w.bays_out.length ? `${w.bays_out.length} drives out` : '',
    ]
      .filter(Boolean)
      .join(', '),
    warranty: w.ends_warranty ? 'ends' : w.ends_warranty === null ? 'not told' : 'kept',
  })),
)
</script>

<template>
  <section class="same" aria-labelledby="same-title">
    <h2 id="same-title">The same total, two ways</h2>
    <table>
      <thead>
        <tr>
          <th scope="col">open for</th>
          <th scope="col">what is done</th>
          <th scope="col">GB/s</th>
          <th scope="col">price</th>
          <th scope="col">warranty</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="r in rows" :key="r.what" :class="{ mine: r.mine }">
          <th scope="row">
            <b>{{ r.minutes === null ? '?' : gb(r.minutes) }}</b> min<i
              v-if="r.minutes"
              class="bar"
              :style="{ width: `${(100 * r.minutes) / longest}%` }"></i>
          </th>
          <td>
            {{ r.what }}<small class="faded">{{ r.hands }}</small>
          </td>
          <td class="number">{{ r.sustained_gbs === null ? '?' : gb(r.sustained_gbs) }}</td>
          <td class="number">
            {{ r.priced ? (Number(r.cost) ? money(r.cost, r.currency) : 'nothing to buy') : 'not told' }}
          </td>
          <td :class="r.warranty">
            {{ r.warranty }}<small><VerdictWord v-if="!r.mine" :of="r" :size="11" /></small>
          </td>
          <td>
            <span v-if="r.mine" class="faded small">this plan</span
            ><button v-else-if="mayWrite" type="button" class="quiet-link" @click="$emit('take', r.changes as Changes)">
              Use this
            </button>
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
  font-size: 13.5px;
}
th,
td {
  padding: 4px 12px 4px 0;
  text-align: left;
  vertical-align: top;
  font-weight: 400;
}
thead th {
  color: var(--faded);
  font-size: 13px;
}
tbody b {
  font-size: 19px;
}
.number {
  text-align: right;
}
.mine {
  background: var(--lit);
}
small {
  display: block;
}
.bar {
  display: block;
  height: 3px;
  background: var(--umber);
}
.ends {
  color: var(--risk);
  font-weight: 650;
}
.kept {
  font-weight: 650;
}
</style>
