<script setup lang="ts">
/** A field of any shape: text, number, words to choose from, lines of them, and blocks of named ones. */
import { computed, ref, useId, watch } from 'vue'
import type { Shape } from '@/api/client'
import { numberIn } from '@/ui/form'
import TextAnswer from '@/ui/TextAnswer.vue'
import { wordsOf } from '@/api/client'

const value = defineModel<unknown>({ required: true })
const props = defineProps<{
  shape: Shape
  label: string
  /** Field -> names that the sheet has for it: sources, sockets, ways. */
  names: Record<string, string[]>
  name?: string
}>()
/** Told when what is typed is nothing that can be written, and when it is again. */
const emit = defineEmits<{ wrong: [id: string, what: string] }>()

const id = useId()
const typed = ref('')
const fault = ref('')
const known = computed(() => props.names[props.name ?? ''] ?? [])

type Item = Record<string, unknown>
const items = computed(() => (Array.isArray(value.value) ? (value.value as unknown[]) : []))
const block = computed(() =>
  value.value && typeof value.value === 'object' && !Array.isArray(value.value) ? (value.value as Item) : {},
)
const of = computed(() => props.shape.of!)
/** A list that is typed on one line: numbers, or names. */
const onLine = computed(() => props.shape.kind === 'list' && (of.value.kind === 'number' || of.value.kind === 'text'))
const shown = computed(() =>
  props.shape.fields.filter((f) => f.required || f.name in block.value || opened.value.has(f.name)),
)
const more = computed(() => props.shape.fields.filter((f) => !shown.value.includes(f)))
const opened = ref(new Set<string>())

function asTyped(v: unknown): string {
  return v === null || v === undefined ? '' : Array.isArray(v) ? v.join(', ') : String(v)
}
watch(
  value,
  (v) => {
    if (read(typed.value) !== v && JSON.stringify(read(typed.value)) !== JSON.stringify(v)) typed.value = asTyped(v)
  },
  { immediate: true },
)
function read(text: string): unknown {
  try {
    if (props.shape.kind === 'number') return numberIn('x', text)
    if (onLine.value) {
      const parts = of.value.kind === 'number' ? text.split(/[\s,]+/) : text.split(',')
      const told = parts.map((p) => p.trim()).filter(Boolean)
      return told.length ? (of.value.kind === 'number' ? told.map((p) => numberIn('x', p)) : told) : undefined
    }
  } catch {
    return undefined
  }
  return text || undefined
}
function type(text: string): void {
  typed.value = text
  fault.value = ''
  try {
    if (props.shape.kind === 'number') numberIn('x', text)
    else if (onLine.value && of.value.kind === 'number')
      text
        .split(/[\s,]+/)
        .filter(Boolean)
        .forEach((p) => numberIn('x', p))
  } catch (error) {
    fault.value = wordsOf(error)
  }
  emit('wrong', id, fault.value)
  if (!fault.value) value.value = read(text) ?? undefined
}
function setItem(i: number, v: unknown): void {
  value.value = items.value.map((x, j) => (j === i ? v : x))
}
function setMember(name: string, v: unknown): void {
  const rest = { ...block.value }
  if (v === undefined || v === null) delete rest[name]
  else rest[name] = v
  value.value = rest
}
function open(name: string): void {
  opened.value = new Set([...opened.value, name])
}
function begin(shape: Shape): unknown {
  return shape.kind === 'record' || shape.kind === 'named'
    ? {}
    : shape.kind === 'list'
      ? []
      : shape.kind === 'choice'
        ? shape.options[0]
        : undefined
}
function rename(from: string, to: string): void {
  if (!to || to in block.value) return
  value.value = Object.fromEntries(Object.entries(block.value).map(([k, v]) => [k === from ? to : k, v]))
}
const fresh = ref('')
function addNamed(): void {
  const name = fresh.value.trim()
  if (!name || name in block.value) return
  value.value = { ...block.value, [name]: begin(of.value) ?? '' }
  fresh.value = ''
}
function toggle(option: string | number): void {
  const had = items.value as (string | number)[]
  const now = had.includes(option) ? had.filter((x) => x !== option) : [...had, option]
  value.value = now.length ? now : undefined
}
/** A word that a sheet writes, as people say it: units are told by the figures. */
const words = (o: string | number) =>
  String(o)
    .replace(/_(gib|mts|gbit)$/, '')
    .replaceAll('_', ' ')
</script>

<template>
  <span v-if="shape.kind === 'flag'" class="row" role="group" :aria-label="label">
    <button
      v-for="yes in [true, false]"
      :key="String(yes)"
      type="button"
      class="choice"
      :aria-pressed="value === yes"
      @click="value = value === yes ? undefined : yes">
      {{ yes ? 'yes' : 'no' }}
    </button>
  </span>
  <span v-else-if="shape.kind === 'choice'" class="row" role="group" :aria-label="label">
    <button
      v-for="o in shape.options"
      :key="o"
      type="button"
      class="choice"
      :aria-pressed="value === o"
      @click="value = value === o ? undefined : o">
      {{ words(o) }}
    </button>
  </span>
  <span v-else-if="shape.kind === 'list' && of.kind === 'choice'" class="row" role="group" :aria-label="label">
    <button
      v-for="o in of.options"
      :key="o"
      type="button"
      class="choice"
      :aria-pressed="items.includes(o)"
      @click="toggle(o)">
      {{ words(o) }}
    </button>
  </span>
  <span v-else-if="shape.kind === 'text' || shape.kind === 'number' || onLine" class="one">
    <select
      v-if="known.length && shape.kind === 'text' && (name === 'source' || name === 'kind')"
      :value="value ?? ''"
      :aria-label="label"
      @change="value = ($event.target as HTMLSelectElement).value || undefined">
      <option value="">as its block</option>
      <option v-for="n in known" :key="n" :value="n">{{ n }}</option>
    </select>
    <template v-else>
      <input
        :value="typed"
        :aria-label="label"
        :aria-invalid="!!fault || undefined"
        :aria-describedby="fault ? `${id}-wrong` : undefined"
        :inputmode="shape.kind === 'number' ? 'decimal' : undefined"
        :list="known.length ? `${id}-names` : undefined"
        :class="{ short: shape.kind === 'number', mono: shape.kind !== 'text' }"
        maxlength="2000"
        autocomplete="off"
        @input="type(($event.target as HTMLInputElement).value)" />
      <datalist v-if="known.length" :id="`${id}-names`"><option v-for="n in known" :key="n" :value="n" /></datalist>
      <span v-if="fault" :id="`${id}-wrong`" class="wrong small" role="alert">{{ fault }}</span>
    </template>
  </span>
  <div v-else-if="shape.kind === 'list'" class="lines" role="group" :aria-label="label">
    <div v-for="(item, i) in items" :key="i" class="line">
      <ShapeField
        :model-value="item"
        :shape="of"
        :label="`${label}, ${i + 1}`"
        :names="names"
        @update:model-value="setItem(i, $event)"
        @wrong="(a, b) => emit('wrong', a, b)" />
      <button
        type="button"
        class="quiet-link out"
        :aria-label="`Take out ${label} ${i + 1}`"
        @click="value = items.filter((_, j) => j !== i)">
        ×
      </button>
    </div>
    <button type="button" class="quiet-link more" @click="value = [...items, begin(of)]">
      {{ items.length ? 'One more' : 'Begin' }}
    </button>
  </div>
  <div v-else-if="shape.kind === 'record'" class="record" role="group" :aria-label="label">
    <div v-for="f in shown" :key="f.name" class="member" :title="f.help || undefined">
      <span class="faded small">{{ f.label }}</span>
      <ShapeField
        :model-value="block[f.name]"
        :shape="f.shape"
        :label="f.label"
        :names="names"
        :name="f.name"
        @update:model-value="setMember(f.name, $event)"
        @wrong="(a, b) => emit('wrong', a, b)" />
    </div>
    <select
      v-if="more.length"
      class="more"
      :aria-label="`${label}: say more`"
      @change="(e) => (open((e.target as HTMLSelectElement).value), ((e.target as HTMLSelectElement).value = ''))">
      <option value="">{{ shown.length ? 'more' : 'say' }} …</option>
      <option v-for="f in more" :key="f.name" :value="f.name">{{ f.label }}</option>
    </select>
  </div>
  <div v-else class="lines" role="group" :aria-label="label">
    <div v-for="(v, k) in block" :key="k" class="line named">
      <TextAnswer
        class="key mono"
        :value="String(k)"
        :label="`${label}: name`"
        :most="120"
        @said="rename(String(k), $event.trim())" />
      <ShapeField
        :model-value="v"
        :shape="of"
        :label="String(k)"
        :names="names"
        @update:model-value="setMember(String(k), $event ?? begin(of) ?? '')"
        @wrong="(a, b) => emit('wrong', a, b)" />
      <button
        type="button"
        class="quiet-link out"
        :aria-label="`Take out ${k}`"
        @click="setMember(String(k), undefined)">
        ×
      </button>
    </div>
    <span class="row">
      <input
        v-model="fresh"
        class="key mono"
        :aria-label="`${label}: another`"
        placeholder="name"
        maxlength="120"
        @keydown.enter.prevent.stop="addNamed" />
      <button type="button" class="quiet-link more" :disabled="!fresh.trim()" @click="addNamed">Add</button>
    </span>
  </div>
</template>

<style scoped>
.row {
  display: inline-flex;
  flex-wrap: wrap;
  gap: 0 14px;
  align-items: center;
}
.row .choice {
  margin-left: 0;
}
.one {
  display: grid;
  gap: 2px;
  min-width: 0;
}
input,
select {
  min-width: 0;
  width: 100%;
  height: 30px;
  padding: 0 8px;
  border: 1px solid var(--module-edge);
  border-radius: 4px;
  background: var(--sheet);
  color: var(--ink);
}
input.short {
  width: 76px;
}
.lines {
  display: grid;
  gap: 6px;
  min-width: 0;
}
.line {
  display: grid;
  grid-template-columns: minmax(0, 1fr) 28px;
  gap: 4px;
  align-items: start;
  padding-bottom: 6px;
  border-bottom: 1px solid var(--rule);
}
.line.named {
  grid-template-columns: minmax(60px, 90px) minmax(0, 1fr) 28px;
}
.key {
  width: 90px;
}
.record {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 12px;
  align-items: end;
  min-width: 0;
}
.member {
  display: grid;
  gap: 0;
  min-width: 76px;
}
select.more {
  width: auto;
  border-color: transparent;
  color: var(--umber);
}
.out {
  justify-self: center;
  min-width: 28px;
  min-height: 28px;
}
.more {
  justify-self: start;
}
.wrong {
  margin: 0;
}
</style>
