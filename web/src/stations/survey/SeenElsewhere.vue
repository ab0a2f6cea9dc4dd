<script setup lang="ts">
/** Modules that are known to be here, and that another machine showed since: somebody moved them, and nobody said so. */
import { shallowRef, watch } from 'vue'
import { api, ask, type MachineView } from '@/api/client'
import type { components } from '@/api/schema'
import { moment, plural } from '@/ui/words'

const props = defineProps<{ machine: MachineView }>()
defineEmits<{ point: [slot: string] }>()
const found = shallowRef<components['schemas']['ElsewhereRow'][]>([])
watch(
  () => props.machine.survey.revision,
  async () => {
    try {
      found.value = await ask(
        api.GET('/api/machines/{machine_id}/elsewhere', { params: { path: { machine_id: props.machine.id } } }),
      )
    } catch {
      found.value = [] // the banner tells of a server that is away
    }
  },
  { immediate: true },
)
const printed = (slot: string) => props.machine.board.slots.find((s) => s.id === slot)?.printed ?? slot
</script>

<template>
  <div v-if="found.length" class="margin-note" role="status" aria-label="Seen elsewhere since">
    <p class="small">
      <strong>{{ plural(found.length, 'module was', 'modules were') }} seen in another machine since</strong>, and can
      hardly be here: look what is.
    </p>
    <p v-for="f in found" :key="f.slot + f.machine_id" class="small">
      <button type="button" class="quiet-link" @click="$emit('point', f.slot)">{{ printed(f.slot) }}</button>: S/N
      <span class="mono">{{ f.serial }}</span> in
      <router-link class="quiet-link" :to="`/machines/${f.machine_id}/survey`">{{ f.machine }}</router-link>,
      {{ f.its_slot }}, {{ moment(f.at, machine.zone) }}
    </p>
  </div>
</template>
