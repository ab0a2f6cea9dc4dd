<script setup lang="ts">
/** The machine as it is and its plans, side by side: the same figures in a row each, the best of a row set off. */
import { computed, onMounted, ref, shallowRef } from 'vue'
import { api, ask, wordsOf, type MachineView, type PlanBrief } from '@/api/client'
import BoardGlyph from '@/board/BoardGlyph.vue'
import { glyphOf } from '@/board/glyph'
import { gb } from '@/ui/figures'
import VerdictWord from '@/ui/VerdictWord.vue'
import { volts } from '@/ui/words'

const props = defineProps<{ machine: MachineView; shown: string | null; mayWrite: boolean }>()
const emit = defineEmits<{ open: [id: string]; like: [id: string]; discard: [id: string]; leave: [] }>()
const plans = shallowRef<PlanBrief[]>()
const wrong = ref('')
const asking = ref<string | null>(null)

async function load(): Promise<void> {
  try {
    plans.value = await ask(
      api.GET('/api/machines/{machine_id}/plans', { params: { path: { machine_id: props.machine.id } } }),
    )
  } catch (error) {
    wrong.value = wordsOf(error)
  }
}
onMounted(load)

interface Row {
  name: string
  value: (p: PlanBrief) => number | null
  words: (p: PlanBrief) => string
  /** Which end is better; null where neither is. */
  better: 'more' | 'less' | null
}
const ROWS: Row[] = [
  { name: 'installed', value: (p) => p.installed_gib, words: (p) => `${gb(p.installed_gib)} GB`, better: 'more' },
  { name: 'usable', value: (p) => p.usable_gib, words: (p) => `${gb(p.usable_gib)} GB`, better: 'more' },
  {
    name: 'data rate',
    value: (p) => p.data_rate_mts ?? null,
    words: (p) => (p.data_rate_mts ? `${p.data_rate_mts} MT/s` : 'not told'),
    better: 'more',
  },
  {
    name: 'sustained',
    value: (p) => p.sustained_gbs ?? null,
    words: (p) => (p.sustained_gbs ? `${gb(p.sustained_gbs)} GB/s` : 'not told'),
    better: 'more',
  },
  { name: 'balance', value: (p) => p.balance ?? null, words: (p) => p.balance?.toFixed(2) ?? 'empty', better: 'more' },
  { name: 'rail', value: () => null, words: (p) => volts(p.rails), better: null },
  { name: 'free slots', value: (p) => p.free_slots, words: (p) => String(p.free_slots), better: 'more' },
  { name: 'slots handled', value: (p) => p.touches, words: (p) => String(p.touches), better: 'less' },
]
/** Only what differs is worth comparing. */
const rows = computed(() => ROWS.filter((r) => new Set(plans.value?.map(r.words)).size > 1))

function isBest(row: Row, plan: PlanBrief): boolean {
  const values = (plans.value ?? []).filter((p) => p.id).map(row.value)
  const mine = row.value(plan)
  if (!plan.id || !row.better || mine === null || new Set(values).size < 2) return false
  const told = values.filter((v): v is number => v !== null)
  return mine === (row.better === 'more' ? Math.max(...told) : Math.min(...told))
}

async function confirmDiscard(id: string): Promise<void> {
  if (asking.value !== id) {
    asking.value = id
    return
  }
  asking.value = null
  emit('discard', id)
  plans.value = plans.value?.filter((p) => p.id !== id)
}
</script>

<template>
  <v-dialog :model-value="true" max-width="980" aria-labelledby="compare-title" @update:model-value="$emit('leave')">
    <div class="panel dialog">
      <h2 id="compare-title">Plans of {{ machine.name }}, side by side</h2>
      <p v-if="wrong" role="alert">{{ wrong }}</p>
      <div v-if="plans" class="scrolling" tabindex="0" role="group" aria-label="Plans in columns">
        <table>
          <thead>
            <tr>
              <td></td>
              <th v-for="p in plans" :key="p.id ?? 'now'" scope="col" :class="{ here: p.id && p.id === shown }">
                {{ p.name }}
              </th>
            </tr>
          </thead>
          <tbody>
            <tr>
              <th scope="row">board</th>
              <td v-for="p in plans" :key="p.id ?? 'now'">
                <BoardGlyph :groups="glyphOf(machine.board, p.now, p.goal, machine.failed)" />
              </td>
            </tr>
            <tr v-for="row in rows" :key="row.name">
              <th scope="row">{{ row.name }}</th>
              <td v-for="p in plans" :key="p.id ?? 'now'" :class="{ best: isBest(row, p) }">{{ row.words(p) }}</td>
            </tr>
            <tr>
              <th scope="row">verdict</th>
              <td v-for="p in plans" :key="p.id ?? 'now'">
                <VerdictWord class="verdict" :of="p" />
                <span class="faded small worst">{{ p.worst ?? 'nothing against it' }}</span>
              </td>
            </tr>
            <tr>
              <td></td>
              <td v-for="p in plans" :key="p.id ?? 'now'" class="doing">
                <template v-if="p.id">
                  <button v-if="p.id !== shown" type="button" class="quiet-link" @click="$emit('open', p.id)">
                    Open
                  </button>
                  <span v-else class="faded small">open now</span>
                  <template v-if="mayWrite">
                    <button type="button" class="quiet-link" @click="$emit('like', p.id)">Another like it</button>
                    <button type="button" class="quiet-link" @click="confirmDiscard(p.id)">
                      {{ asking === p.id ? 'Really discard' : 'Discard' }}
                    </button>
                  </template>
                </template>
              </td>
            </tr>
          </tbody>
        </table>
      </div>
      <div class="choices"><button type="button" class="press quiet" @click="$emit('leave')">Close</button></div>
    </div>
  </v-dialog>
</template>

<style scoped>
.dialog {
  padding: 20px 24px;
}
.scrolling {
  overflow-x: auto;
}
table {
  border-collapse: collapse;
  font-size: 14px;
  min-width: 100%;
}
th,
td {
  text-align: left;
  padding: 6px 18px 6px 0;
  vertical-align: top;
}
tbody tr {
  border-top: 1px solid var(--rule);
}
tbody th {
  font-weight: 400;
  color: var(--faded);
  white-space: nowrap;
}
thead th {
  font-weight: 650;
}
.here {
  color: var(--umber);
}
.best {
  font-weight: 700;
}
.verdict {
  display: flex;
  gap: 7px;
  align-items: center;
  font-weight: 650;
}
.worst {
  display: block;
  max-width: 220px;
}
.doing {
  white-space: nowrap;
}
.doing > * {
  margin-right: 10px;
}
.choices {
  display: flex;
  justify-content: flex-end;
  margin-top: 14px;
}
</style>
