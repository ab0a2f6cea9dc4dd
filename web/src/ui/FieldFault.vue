<script setup lang="ts">
/** What is wrong with one field of a form, right under it. */
defineProps<{ of: Record<string, string>; name: string }>()
</script>

<template>
  <span v-if="of[name]" class="wrong small field-fault" role="alert">{{ of[name] }}</span>
</template>

<style scoped>
.field-fault {
  display: block;
  margin-top: 2px;
}
</style>
