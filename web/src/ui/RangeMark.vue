<script setup lang="ts">
/** A probability on a line from nothing to all: where it lies as a mark, how low and how high it comes to, looked at otherwise, as a bar. */
defineProps<{ at: number; low: number; high: number }>()
const part = (p: number) => `${(100 * Math.min(Math.max(p, 0), 1)).toFixed(2)}%`
</script>

<template>
  <span class="range" aria-hidden="true"
    ><i class="line"></i><i class="span" :style="{ left: part(low), width: part(high - low) }"></i
    ><i class="mark" :style="{ left: part(at) }"></i
  ></span>
</template>

<style scoped>
.range {
  position: relative;
  display: inline-block;
  width: 84px;
  height: 14px;
}
.range i {
  position: absolute;
}
.line {
  left: 0;
  right: 0;
  top: 6px;
  height: 2px;
  background: var(--rule);
}
.span {
  top: 5px;
  height: 4px;
  min-width: 2px;
  background: var(--module-edge);
}
.mark {
  top: 1px;
  width: 2px;
  height: 12px;
  margin-left: -1px;
  background: var(--ink);
}
</style>
