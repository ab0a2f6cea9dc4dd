<script setup lang="ts">
/** Severity by shape as well as colour: filled square, open circle, diamond, triangle, dot, tick. */
defineProps<{ severity: 'stop' | 'ask' | 'risk' | 'slow' | 'note' | 'go'; size?: number }>()
</script>

<template>
  <svg
    class="mark"
    :width="size ?? 14"
    :height="size ?? 14"
    viewBox="0 0 14 14"
    role="img"
    :aria-label="severity"
    :style="{ color: `var(--${severity})` }">
    <rect v-if="severity === 'stop'" x="1.5" y="1.5" width="11" height="11" fill="currentColor" />
    <circle v-else-if="severity === 'ask'" cx="7" cy="7" r="5" fill="none" stroke="currentColor" stroke-width="2" />
    <path v-else-if="severity === 'risk'" d="M7 0.5 13.5 7 7 13.5 0.5 7Z" fill="currentColor" />
    <path v-else-if="severity === 'slow'" d="M0.5 2H13.5L7 13Z" fill="currentColor" />
    <circle v-else-if="severity === 'note'" cx="7" cy="7" r="3.2" fill="currentColor" />
    <path v-else d="M1 7.5 5 11.5 13 2.5" fill="none" stroke="currentColor" stroke-width="2" />
  </svg>
</template>

<style scoped>
.mark {
  flex: none;
}
</style>
