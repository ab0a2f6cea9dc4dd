<script setup lang="ts">
/** Somebody else changed the plan: both sides, slot by slot, to choose from. */
import { computed } from 'vue'
import type { MachineView, Occupant } from '@/api/client'
import { moduleWords } from '@/board/state'
import type { Conflict } from './plan'

const props = defineProps<{ conflict: Conflict; machine: MachineView }>()
defineEmits<{ settle: [mine: boolean] }>()

const words = (o: Occupant | null | undefined) => (!o ? 'empty' : o === 'unknown' ? 'not known' : moduleWords(o))
const rows = computed(() =>
  Object.entries(props.conflict.yours).map(([slot, mine]) => ({
    slot,
    printed: props.machine.board.slots.find((s) => s.id === slot)?.printed ?? slot,
    theirs: words(props.conflict.theirs.goal[slot]),
    mine: words(mine),
  })),
)
</script>

<template>
  <v-dialog :model-value="true" persistent max-width="560" aria-labelledby="conflict-title">
    <div class="panel dialog">
      <h2 id="conflict-title">This plan was changed meanwhile</h2>
      <p>{{ conflict.message }} It is now called “{{ conflict.theirs.name }}”, at version {{ conflict.theirs.version }}.</p>
      <table v-if="rows.length">
        <thead>
          <tr>
            <th scope="col">slot</th>
            <th scope="col">as it is now</th>
            <th scope="col">your change</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="r in rows" :key="r.slot">
            <th scope="row" class="mono">{{ r.printed }}</th>
            <td>{{ r.theirs }}</td>
            <td>{{ r.mine }}</td>
          </tr>
        </tbody>
      </table>
      <p v-else>What you asked for does not touch a slot: take theirs and do it again.</p>
      <div class="choices">
        <v-btn variant="outlined" color="primary" @click="$emit('settle', false)">Take theirs</v-btn>
        <v-btn v-if="rows.length" color="primary" @click="$emit('settle', true)">Put mine on top</v-btn>
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
  padding: 4px 10px 4px 0;
}
.choices {
  display: flex;
  justify-content: flex-end;
  gap: 10px;
  margin-top: 16px;
}
</style>
