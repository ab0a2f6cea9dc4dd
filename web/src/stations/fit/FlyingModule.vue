<script setup lang="ts">
/** The module in hand, beside the pointer and clear of the slot that it is over: what is being placed never hides where it goes. */
import { computed, useTemplateRef } from 'vue'
import type { Module } from '@/api/client'
import { moduleLine } from '@/board/state'
import { gb } from '@/ui/figures'

const props = defineProps<{
  module: Module
  at: { x: number; y: number }
  over: string | null
  target: { allowed: boolean; reason?: string | null } | null | undefined
}>()
const flying = useTemplateRef<HTMLElement>('flying')
const place = computed(() => {
  const { x, y } = props.at
  const size = flying.value?.getBoundingClientRect()
  const target = props.over
    ? document.querySelector(`[data-slot="${CSS.escape(props.over)}"]`)?.getBoundingClientRect()
    : undefined
  const [width, height] = [size?.width ?? 200, size?.height ?? 60]
  const left = Math.min(x + 14, innerWidth - width - 8)
  const top = !target ? y + 12 : target.bottom + height + 12 < innerHeight ? target.bottom + 8 : target.top - height - 8
  return { transform: `translate(${left}px, ${top}px)` }
})
</script>

<template>
  <div ref="flying" class="flying" :style="place">
    <strong>{{ gb(module.capacity_gib) }}</strong> <span class="mono">{{ moduleLine(module) }}</span>
    <span v-if="target?.reason" class="reason" :class="target.allowed ? 'mind' : 'no'">{{ target.reason }}</span>
  </div>
</template>

<style scoped>
.flying {
  max-width: 340px;
  font-size: 13px;
}
strong {
  font-size: 17px;
}
.reason {
  display: block;
  font-size: 13px;
}
.reason.no {
  color: var(--stop);
  font-weight: 600;
}
.reason.mind {
  color: var(--slow);
}
</style>
