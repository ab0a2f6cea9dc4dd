<script setup lang="ts">
/** With which firmware, system, processors and mode the machine will run under this plan: it is judged by those. */
import { computed, reactive, ref, watch } from 'vue'
import type { MachineView } from '@/api/client'

type Facts = {
  firmware?: string | null
  system?: string | null
  mode?: string | null
  processors?: Record<string, string | null>
}
const props = defineProps<{ machine: MachineView; runsWith: Facts; mayWrite: boolean }>()
const emit = defineEmits<{ save: [facts: Facts] }>()

const open = ref(false)
const words = computed(() => {
  const told = [
    ...(['firmware', 'system', 'mode'] as const).flatMap((name) =>
      props.runsWith[name] ? [`${name} ${props.runsWith[name]}`] : [],
    ),
    ...Object.entries(props.runsWith.processors ?? {}).map(([s, p]) => `${s} ${p ?? 'without processor'}`),
  ]
  return told.length ? told.join(', ') : 'as today'
})
const form = reactive({ firmware: '', system: '', mode: '', processors: {} as Record<string, string> })
watch(open, () => {
  const facts = props.machine.facts
  form.firmware = props.runsWith.firmware ?? facts.firmware ?? ''
  form.system = props.runsWith.system ?? facts.system ?? ''
  form.mode = props.runsWith.mode ?? facts.mode ?? ''
  form.processors = Object.fromEntries(
    Object.keys(props.machine.may_hold).map((s) => [
      s,
      props.runsWith.processors?.[s] ?? facts.processors[s] ?? (s in facts.processors ? '-' : ''),
    ]),
  )
})

function save(): void {
  const processors = Object.fromEntries(
    Object.entries(form.processors)
      .filter(([, p]) => p !== '')
      .map(([s, p]) => [s, p === '-' ? null : p]),
  )
  emit('save', {
    firmware: form.firmware.trim() || null,
    system: form.system.trim() || null,
    mode: form.mode || null,
    processors,
  })
  open.value = false
}
</script>

<template>
  <span class="runs-with">
    <strong>{{ words }}</strong>
    <button
      v-if="mayWrite"
      type="button"
      class="quiet-link"
      :aria-expanded="open"
      aria-label="Change what it runs with"
      @click="open = !open">
      change
    </button>
    <form
      v-if="open"
      class="panel popover"
      aria-label="Runs with"
      @submit.prevent="save"
      @keydown.esc.stop="open = false">
      <p>
        What the machine will run with when this is fitted. The plan is judged by it; what is not so yet becomes a step
        before the modules.
      </p>
      <label>Firmware <input v-model="form.firmware" maxlength="60" /></label>
      <label>System <input v-model="form.system" maxlength="60" /></label>
      <label v-if="machine.modes.length">
        Mode
        <select v-model="form.mode">
          <option value="">{{ machine.facts.mode ? 'as today' : 'independent channels' }}</option>
          <option v-for="m in machine.modes" :key="m" :value="m">{{ m }}</option>
        </select>
      </label>
      <template v-for="(choices, socket) in machine.may_hold" :key="socket">
        <label v-if="choices.length > 1 || machine.may_be_bare.includes(String(socket))">
          {{ socket }}
          <select v-model="form.processors[socket]">
            <option v-if="!(socket in machine.facts.processors)" value="">not known</option>
            <option v-for="p in choices" :key="p" :value="p">{{ p }}</option>
            <option v-if="machine.may_be_bare.includes(String(socket))" value="-">none</option>
          </select>
        </label>
      </template>
      <button class="press slim" type="submit">Judge it by these</button>
    </form>
  </span>
</template>

<style scoped>
.runs-with {
  position: relative;
  display: flex;
  gap: 8px;
  align-items: baseline;
  justify-content: space-between;
}
label {
  grid-template-columns: 90px minmax(0, 1fr);
}
</style>
