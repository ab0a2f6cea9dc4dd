<script setup lang="ts">
/** What a route must meet: numbers and yes-or-no, each on or off. Where there is little room those that ask for nothing are a press away. */
import { computed, ref } from 'vue'
import { gbUp } from '@/ui/figures'
import { amountIn } from '@/ui/form'
import TextAnswer from '@/ui/TextAnswer.vue'
import { wordsOf, type Wishes } from '@/api/client'

const props = defineProps<{
  wishes: Wishes
  currency: string
  /** Whether something in it keeps its content without power. */ keeps: boolean
}>()
const emit = defineEmits<{ change: [wishes: Partial<Wishes>] }>()

type Numeric = 'usable_gib' | 'budget' | 'free_slots' | 'rate_mts' | 'top_trouble'
const NUMBERS: { key: Numeric; before: string; after: () => string; wide?: boolean }[] = [
  { key: 'usable_gib', before: 'at least', after: () => 'GB usable' },
  { key: 'budget', before: 'up to', after: () => props.currency, wide: true },
  { key: 'free_slots', before: 'leave', after: () => 'slots free' },
  { key: 'rate_mts', before: 'at least', after: () => 'MT/s' },
  { key: 'top_trouble', before: 'trouble up to', after: () => '%' },
]
const TOGGLES: {
  key:
    | 'keep_fitted'
    | 'keep_warranty'
    | 'third_party'
    | 'over_official'
    | 'uneven'
    | 'less_bandwidth'
    | 'less_memory'
    | 'move_content'
  on: boolean
  words: string
}[] = [
  { key: 'keep_fitted', on: true, words: 'keep what is fitted' },
  { key: 'keep_warranty', on: true, words: 'open nothing that ends the warranty' },
  { key: 'third_party', on: false, words: 'listed parts only' },
  { key: 'over_official', on: false, words: 'within the official total' },
  { key: 'uneven', on: true, words: 'uneven layouts too' },
  { key: 'less_bandwidth', on: true, words: 'slower than now too' },
  { key: 'less_memory', on: true, words: 'less than now too' },
  { key: 'move_content', on: true, words: 'move what keeps its content too' },
]
const more = ref(window.innerWidth >= 1200)
const numbers = computed(() =>
  NUMBERS.filter((n) => more.value || n.key === 'usable_gib' || n.key === 'budget' || shown(n.key) !== ''),
)
const toggles = computed(() =>
  TOGGLES.filter((t) => (t.key !== 'move_content' || props.keeps) && (more.value || props.wishes[t.key] === t.on)),
)
function shown(key: Numeric): string {
  const value = props.wishes[key]
  return value === null || value === undefined
    ? ''
    : key === 'usable_gib'
      ? gbUp(Number(value))
      : String(key === 'top_trouble' ? Math.round(Number(value) * 100) : value)
}
const fault = ref('')
function set({ key, before, after }: (typeof NUMBERS)[number], typed: string): void {
  fault.value = ''
  try {
    const value = typed.trim() ? amountIn(key, typed) : null
    emit('change', {
      [key]:
        value === null
          ? null
          : key === 'top_trouble'
            ? Math.min(value, 100) / 100
            : key === 'free_slots' || key === 'rate_mts'
              ? Math.round(value)
              : value,
    })
  } catch (error) {
    fault.value = `${before} ${after()}: ${wordsOf(error)}`
  }
}
</script>

<template>
  <div class="wishes" role="group" aria-label="Wishes">
    <span class="faded">Wishes</span>
    <label v-for="n in numbers" :key="n.key" class="choice wish" :class="{ on: shown(n.key) !== '' }">
      {{ n.before }}
      <TextAnswer
        :value="shown(n.key)"
        inputmode="decimal"
        :class="{ wide: n.wide }"
        :label="`${n.before} ${n.after()}`"
        :most="20"
        placeholder="any"
        @said="set(n, $event)" />{{ ' ' }}
      <span :class="{ money: n.wide }">{{ n.after() }}</span>
    </label>
    <button
      v-for="t in toggles"
      :key="t.key"
      type="button"
      class="choice"
      :aria-pressed="wishes[t.key] === t.on"
      @click="emit('change', { [t.key]: wishes[t.key] === t.on ? null : t.on })">
      {{ t.words }}
    </button>
    <button type="button" class="quiet-link" :aria-expanded="more" @click="more = !more">
      {{ more ? 'Fewer wishes' : 'More wishes' }}
    </button>
    <p v-if="fault" class="wrong small fault" role="alert">{{ fault }}</p>
  </div>
</template>

<style scoped>
.wishes {
  padding: 8px 16px;
  display: flex;
  flex-wrap: wrap;
  gap: 4px 18px;
  align-items: center;
  font-size: 14px;
}
.wishes .choice {
  margin-left: 0;
}
.wish {
  display: inline-flex;
  align-items: center;
  gap: 5px;
}
.wish.on {
  font-weight: 650;
}
.wish.on::after {
  width: 100%;
  background: var(--umber);
}
.fault {
  flex-basis: 100%;
  margin: 0;
}
input {
  width: 58px;
  padding: 1px 4px;
  border: 0;
  border-radius: 2px;
  background: var(--lit);
  color: var(--ink);
  font: inherit;
  text-align: right;
}
input::placeholder {
  color: var(--faded);
  font-weight: 400;
}
.money {
  min-width: 32px;
}
.wide {
  width: 62px;
}
</style>
