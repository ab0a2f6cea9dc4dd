<script setup lang="ts">
/** The drive bays as they stand on the front, each with what is in it: a mixed-up order can cost the array. */
import { computed, reactive, ref } from 'vue'
import { api, ask, Unreachable, wordsOf, type MachineView } from '@/api/client'
import { keepUnsent } from '@/frame/outbox'

const props = defineProps<{ machine: MachineView; mayWrite: boolean }>()
const emit = defineEmits<{ saved: [machine: MachineView] }>()
const open = ref<number | null>(null)
const fields = reactive({ serial: '', label: '' })
const wrong = ref('')
const unknown = computed(() => props.machine.bays.filter((b) => !b.known).length)

function look(number: number): void {
  if (!props.mayWrite) return
  const bay = props.machine.bays.find((b) => b.number === number)
  Object.assign(fields, { serial: bay?.drive?.serial ?? '', label: bay?.drive?.label ?? '' })
  open.value = number
  wrong.value = ''
}

async function keep(drive: { serial: string; label: string } | 'unknown' | null): Promise<void> {
  const number = open.value
  try {
    const params = { path: { machine_id: props.machine.id } }
    const body = { revision: props.machine.survey.revision, bays: { [String(number)]: drive } }
    emit('saved', await ask(api.PUT('/api/machines/{machine_id}/bays', { params, body })))
    // Another bay may have been opened while this one was on its way.
    if (open.value === number) open.value = null
  } catch (error) {
    if (!(error instanceof Unreachable)) {
      wrong.value = wordsOf(error)
      return
    }
    const bay = props.machine.bays.find((b) => b.number === number)
    const seen = { [String(number)]: bay?.known ? bay.drive : 'unknown' }
    const says =
      drive === null
        ? 'is empty'
        : drive === 'unknown'
          ? 'not known'
          : [drive.label, drive.serial].filter(Boolean).join(', ')
    await keepUnsent({
      method: 'PUT',
      path: `/api/machines/${props.machine.id}/bays`,
      body: { revision: props.machine.survey.revision, bays: { [String(number)]: drive } },
      words: `${props.machine.name}: bay ${number} ${says}`,
      machine: props.machine.id,
      seen,
    })
    if (open.value === number) open.value = null
  }
}
</script>

<template>
  <div class="bays">
    <h2>
      Drive bays
      <span class="faded small">{{ machine.bay_numbering }}{{ unknown ? `; ${unknown} not known` : '' }}</span>
    </h2>
    <div class="front" :style="{ '--columns': machine.bay_columns }">
      <button
        v-for="b in machine.bays"
        :key="b.number"
        type="button"
        class="bay"
        :class="{ unknown: !b.known, empty: b.known && !b.drive, open: open === b.number }"
        :aria-label="`Bay ${b.number}: ${!b.known ? 'not known' : b.drive ? [b.drive.label, b.drive.serial].filter(Boolean).join(', ') || 'a drive' : 'empty'}`"
        @click="look(b.number)">
        <strong>{{ b.number }}</strong>
        <span class="mono">{{ !b.known ? '?' : b.drive ? b.drive.label || b.drive.serial || 'drive' : 'empty' }}</span>
        <span v-if="b.drive?.label && b.drive.serial" class="mono faded">{{ b.drive.serial }}</span>
      </button>
    </div>
    <form v-if="open" @submit.prevent="keep({ ...fields })">
      <label>Serial number in bay {{ open }} <input v-model="fields.serial" class="mono" maxlength="200" /></label>
      <label>Written on it <input v-model="fields.label" maxlength="200" /></label>
      <div class="doing">
        <button type="submit" class="quiet-link" :disabled="!fields.serial.trim() && !fields.label.trim()">Keep</button>
        <button type="button" class="quiet-link" @click="keep(null)">It is empty</button>
        <button type="button" class="quiet-link" @click="keep('unknown')">Not known</button>
        <button type="button" class="quiet-link" @click="open = null">Cancel</button>
      </div>
      <p v-if="wrong" class="wrong" role="alert">{{ wrong }}</p>
    </form>
  </div>
</template>

<style scoped>
.front {
  display: grid;
  grid-template-columns: repeat(var(--columns), minmax(0, 1fr));
  gap: 4px;
  margin-top: 6px;
  padding: 6px;
  border: 1px solid var(--module-edge);
  border-radius: 3px;
  background: var(--lit);
}
.bay {
  display: grid;
  gap: 2px;
  align-content: start;
  min-height: 64px;
  padding: 4px 6px;
  border: 1px solid var(--module-edge);
  border-radius: 2px;
  background: var(--module);
  color: var(--ink);
  font-size: 12px;
  text-align: left;
  overflow-wrap: anywhere;
}
.bay.unknown {
  border: 1.25px dashed var(--ask);
  background: var(--sheet);
  color: var(--ask);
}
.bay.empty {
  background: var(--sheet);
}
.bay.open {
  outline: 2px solid var(--umber);
}
.bay .faded {
  color: var(--ink);
  opacity: 0.85;
}
form {
  display: grid;
  gap: 6px;
  margin-top: 8px;
}
label {
  display: grid;
  gap: 2px;
  font-size: 13px;
  color: var(--faded);
}
input {
  height: 32px;
  padding: 0 8px;
  border: 1px solid var(--module-edge);
  border-radius: 4px;
  background: var(--paper);
  color: var(--ink);
}
.doing {
  display: flex;
  gap: 12px;
  flex-wrap: wrap;
}
.wrong {
  color: var(--stop);
  margin: 0;
}
</style>
