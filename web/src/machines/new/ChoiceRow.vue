<script setup lang="ts" generic="T extends string">
/** One of several words, or several of them. */
defineProps<{
  label: string
  of: readonly T[]
  chosen: readonly T[]
  words?: Partial<Record<T, string>>
  wrong?: string
}>()
defineEmits<{ choose: [value: T] }>()
</script>

<template>
  <div class="row" role="group" :aria-label="label">
    <button
      v-for="value in of"
      :key="value"
      type="button"
      class="choice"
      :aria-pressed="chosen.includes(value)"
      @click="$emit('choose', value)">
      {{ words?.[value] ?? value }}
    </button>
    <slot />
    <p v-if="wrong" class="wrong small" role="alert">{{ wrong }}</p>
  </div>
</template>

<style scoped>
.row {
  display: flex;
  flex-wrap: wrap;
  gap: 2px 16px;
  align-items: center;
}
.row .choice {
  margin-left: 0;
}
.wrong {
  flex-basis: 100%;
  margin: 0;
}
</style>
