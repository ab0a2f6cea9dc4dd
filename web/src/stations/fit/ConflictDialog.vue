<script setup lang="ts">
/** Somebody else changed the plan: both sides of every slot, to choose from one by one. */
import { computed, ref } from 'vue'
import type { MachineView, Occupant } from '@/api/client'
import { moduleLine, same } from '@/board/state'
import { gb } from '@/ui/figures'
import type { Changes, Conflict } from './plan'

const props = defineProps<{ conflict: Conflict; machine: MachineView }>()
const emit = defineEmits<{ settle: [mine: Changes] }>()

const words = (o: Occupant | null | undefined) =>
  !o ? 'empty' : o === 'unknown' ? 'not known' : `${gb(o.capacity_gib)} GB ${moduleLine(o)}`
const rows = computed(() =>
  Object.entries(props.conflict.yours).map(([slot, mine]) => ({
    slot,
    printed: props.machine.board.slots.find((s) => s.id === slot)?.printed ?? slot,
    theirs: words(props.conflict.theirs.goal[slot]),
    mine: words(mine),
    alike: same(props.conflict.theirs.goal[slot] ?? undefined, mine ?? undefined),
  })),
)
/** Slots for which one's own change is chosen: at first none, so that nothing of theirs is lost by haste. */
const chosen = ref(new Set<string>())

function choose(slot: string, mine: boolean): void {
  const next = new Set(chosen.value)
  if (mine) next.add(slot)
  else next.delete(slot)
  chosen.value = next
}

function all(mine: boolean): void {
  chosen.value = new Set(mine ? rows.value.filter((r) => !r.alike).map((r) => r.slot) : [])
}

function settle(): void {
  emit('settle', Object.fromEntries(Object.entries(props.conflict.yours).filter(([slot]) => chosen.value.has(slot))))
}
</script>

<template>
  <v-dialog :model-value="true" persistent max-width="680" aria-labelledby="conflict-title">
    <div class="panel dialog">
      <h2 id="conflict-title">This plan was changed meanwhile</h2>
      <p>
        {{ conflict.message }} It is now called “{{ conflict.theirs.name }}”, at version {{ conflict.theirs.version }}.
      </p>
      <table v-if="rows.length">
        <thead>
          <tr>
            <th scope="col">slot</th>
            <th scope="col">as it is now <button type="button" class="quiet-link" @click="all(false)">all</button></th>
            <th scope="col">your change <button type="button" class="quiet-link" @click="all(true)">all</button></th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="r in rows" :key="r.slot">
            <th scope="row" class="mono">{{ r.printed }}</th>
            <td v-if="r.alike" colspan="2" class="faded">{{ r.mine }}, the same on both sides</td>
            <template v-else>
              <td :class="{ chosen: !chosen.has(r.slot) }">
                <label
                  ><input type="radio" :name="r.slot" :checked="!chosen.has(r.slot)" @change="choose(r.slot, false)" />
                  {{ r.theirs }}</label
                >
              </td>
              <td :class="{ chosen: chosen.has(r.slot) }">
                <label
                  ><input type="radio" :name="r.slot" :checked="chosen.has(r.slot)" @change="choose(r.slot, true)" />
                  {{ r.mine }}</label
                >
              </td>
            </template>
          </tr>
        </tbody>
      </table>
      <p v-else>What you asked for does not touch a slot: go on with the plan as it is now and do it again.</p>
      <div class="choices">
        <button type="button" class="press" @click="settle">
          {{
            chosen.size
              ? `Put my ${chosen.size === 1 ? 'slot' : `${chosen.size} slots`} on top`
              : 'Go on with it as it is now'
          }}
        </button>
      </div>
    </div>
  </v-dialog>
</template>

<style scoped>
.dialog {
  padding: 20px 24px;
}
table {
  width: 100%;
  border-collapse: collapse;
  font-size: 14px;
}
th {
  text-align: left;
}
thead th {
  color: var(--faded);
  font-weight: 400;
}
tbody tr {
  border-top: 1px solid var(--rule);
}
td,
th {
  padding: 5px 10px 5px 0;
}
td label {
  display: flex;
  gap: 7px;
  align-items: center;
  cursor: pointer;
}
input {
  accent-color: var(--umber);
}
.chosen {
  font-weight: 650;
}
.choices {
  display: flex;
  justify-content: flex-end;
  gap: 10px;
  margin-top: 16px;
}
</style>
