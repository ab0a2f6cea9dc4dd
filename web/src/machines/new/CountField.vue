<script setup lang="ts">
/** A count: typed, or one more and one fewer. */
import TextAnswer from '@/ui/TextAnswer.vue'

const count = defineModel<number | null>({ required: true })
const props = defineProps<{
  label: string
  least: number
  most: number
  /** What stands where the count is null. */ mixed?: string
}>()

function set(to: number): void {
  if (Number.isInteger(to)) count.value = Math.min(props.most, Math.max(props.least, to))
}
function typed(text: string): void {
  if (/^\d+$/.test(text.trim())) set(Number(text))
}
</script>

<template>
  <div class="count">
    <label :for="`count-${label}`" class="faded small">{{ label }}</label>
    <span class="box">
      <button
        type="button"
        :aria-label="`${label}: one fewer`"
        :disabled="count !== null && count <= least"
        @click="set((count ?? least + 1) - 1)">
        &minus;
      </button>
      <TextAnswer
        :id="`count-${label}`"
        :value="count === null ? '' : String(count)"
        :label="label"
        :most="4"
        inputmode="numeric"
        :placeholder="mixed"
        @said="typed"
        @keydown.up.prevent="set((count ?? least) + 1)"
        @keydown.down.prevent="set((count ?? least + 1) - 1)" />
      <button
        type="button"
        :aria-label="`${label}: one more`"
        :disabled="count !== null && count >= most"
        @click="set((count ?? least) + 1)">
        +
      </button>
    </span>
  </div>
</template>

<style scoped>
.count {
  display: grid;
  gap: 1px;
}
.box {
  display: inline-flex;
  align-items: center;
  gap: 2px;
}
button {
  width: 26px;
  height: 28px;
  color: var(--umber);
  font-size: 20px;
  font-weight: 700;
  line-height: 1;
}
button:disabled {
  color: var(--rule);
}
input {
  width: 42px;
  height: 30px;
  text-align: center;
  font-size: 19px;
  font-weight: 700;
  background: transparent;
  color: var(--ink);
  border: 0;
  border-bottom: 1px solid var(--module-edge);
}
input::placeholder {
  font-size: 13px;
  font-weight: 400;
  color: var(--faded);
  opacity: 1;
}
</style>
