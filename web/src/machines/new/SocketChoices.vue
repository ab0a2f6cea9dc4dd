<script setup lang="ts">
/** Which processor is in each socket, where that is a question: several may be in it, or none. */
import { computed } from 'vue'
import type { Making } from './making'

const props = defineProps<{ making: Making }>()
const m = props.making
const asked = computed(() => m.sockets.value.filter((s) => s.processors.length > 1 || s.may_be_absent))
</script>

<template>
  <div v-if="asked.length" class="sockets">
    <label v-for="s in asked" :key="s.id" class="faded small">
      in {{ s.id }}
      <select
        :value="m.said.processors[s.id] ?? ''"
        :aria-label="`Processor in ${s.id}`"
        @change="m.said.processors[s.id] = ($event.target as HTMLSelectElement).value">
        <option value="">not known</option>
        <option v-for="p in s.processors" :key="p.id" :value="p.id">{{ p.title }}</option>
        <option v-if="s.may_be_absent" value="-">none</option>
      </select>
    </label>
  </div>
</template>

<style scoped>
.sockets {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 16px;
}
label {
  display: flex;
  gap: 6px;
  align-items: center;
}
select {
  max-width: 180px;
}
</style>
