<script setup lang="ts">
/** Says that something is coming, once it takes longer than nobody would notice. */
defineProps<{ what: string }>()
</script>

<template>
  <p class="coming faded" role="status">{{ what }} is coming</p>
</template>

<style scoped>
.coming {
  margin: 0;
  padding: 24px 40px;
  animation: appear 1ms 300ms both;
}
@keyframes appear {
  from {
    visibility: hidden;
  }
  to {
    visibility: visible;
  }
}
@media (max-width: 700px) {
  .coming {
    padding: 24px 14px;
  }
}
</style>
