<script setup lang="ts">
/** What the columns of somebody's table are taken for, to be said where their names do not. */
import { computed } from 'vue'
import { plural } from './words'

const props = defineProps<{
  /** Column -> its meaning. */
  columns: Record<string, string>
  /** Rows above the one that names them. */
  above: number
  meanings: string[]
  /** What a column may be besides -> in words; the first is what none of its own is. */
  besides: Record<string, string>
  /** What becomes of columns that are none of these. */
  others: string
  open: boolean
  busy: boolean
}>()
const emit = defineEmits<{ meant: [meant: Record<string, string>] }>()
const none = computed(() => Object.keys(props.besides)[0]!)
const own = computed(() => Object.values(props.columns).filter((m) => m === none.value).length)
const count = computed(() => Object.keys(props.columns).length)
/** What one column is said to mean; another that meant it means nothing any more. */
function say(column: string, meaning: string): void {
  const holder = Object.keys(props.columns).find(
    (c) => c !== column && props.columns[c] === meaning && props.meanings.includes(meaning),
  )
  emit('meant', { ...(holder ? { [holder]: none.value } : {}), [column]: meaning })
}
</script>

<template>
  <details class="meanings" :open="open">
    <summary>
      What its columns mean<span class="faded small"
        >: {{ count - own }} of {{ count }} understood<template v-if="own">; {{ others }}</template
        ><template v-if="above"
          >; {{ plural(above, 'row') }} above them {{ above > 1 ? 'are' : 'is' }} left out</template
        ></span
      >
    </summary>
    <ul>
      <li v-for="(meaning, column) in columns" :key="column">
        <label :class="{ own: meaning === none }"
          ><span class="mono">{{ column }}</span>
          <select
            :value="meaning"
            :disabled="busy"
            :aria-label="`What ${column} means`"
            @change="say(String(column), ($event.target as HTMLSelectElement).value)">
            <option v-for="m in [...Object.keys(besides), ...meanings]" :key="m" :value="m">
              {{ besides[m] ?? m }}
            </option>
          </select>
        </label>
      </li>
    </ul>
  </details>
</template>

<style scoped>
.meanings {
  margin: 8px 0;
}
.meanings summary {
  cursor: pointer;
  font-weight: 600;
}
.meanings summary span {
  font-weight: 400;
}
.meanings ul {
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(230px, 1fr));
  gap: 4px 20px;
  max-height: 30vh;
  overflow: auto;
  margin: 6px 0 0;
  padding: 0;
  list-style: none;
}
.meanings label {
  display: grid;
  grid-template-columns: minmax(0, 1fr) minmax(0, 1fr);
  gap: 8px;
  align-items: center;
  font-size: 14px;
}
.meanings .mono {
  overflow-wrap: anywhere;
}
.meanings select {
  min-height: 28px;
  padding: 2px 6px;
  border: 1px solid var(--rule);
  border-radius: 3px;
  background: var(--paper);
  color: var(--ink);
}
.meanings .own select {
  border-color: var(--ask);
}
</style>
