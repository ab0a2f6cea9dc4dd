<script setup lang="ts">
/** Label text, decoded as it is typed: each understood piece underlined with what it means. */
import { computed, ref, watch } from 'vue'
import { api, ask, type Label, type Module } from '@/api/client'
import { health } from '@/api/health'
import { kindOf } from '@/ui/words'

const emit = defineEmits<{
  module: [module: Module | null]
  place: [module: Module]
  grab: [module: Module, event: PointerEvent]
  /** Enter, and the server that reads labels is away. */ unread: [text: string]
}>()
withDefaults(defineProps<{ hint?: string }>(), {
  hint: 'Then drag it to a slot, or press Enter and choose the slot with the arrow keys.',
})
const text = ref('')
const label = ref<Label | null>(null)
let asked = 0
/** The decoding under way: whoever acts on the text waits for it. */
let decoding: Promise<void> = Promise.resolve()

watch(text, (typed) => (decoding = decode(typed)), { flush: 'sync' })

async function decode(typed: string): Promise<void> {
  const mine = ++asked
  if (!typed.trim()) {
    label.value = null
    emit('module', null)
    return
  }
  try {
    const read = await ask(api.POST('/api/label', { body: { text: typed } }))
    if (mine !== asked) return
    label.value = read
    emit('module', understood.value ? read.module : null)
  } catch {
    // the banner tells of a server that is away; the text stays
  }
}

/** Take what the text says now, not what it said a letter ago. */
async function place(): Promise<void> {
  await decoding
  if (health.trouble && text.value.trim() && label.value?.text !== text.value) emit('unread', text.value.trim())
  else if (understood.value && label.value?.text === text.value) emit('place', label.value.module)
}

/** What its part number told beyond its words, each source once. */
const byNumber = computed(() => {
  const told = new Map<string, string[]>()
  for (const fact of label.value?.part?.offered ?? []) {
    if (fact.values.length !== 1) continue
    const { source, words } = fact.values[0]!
    told.set(source, [...(told.get(source) ?? []), words])
  }
  return [...told].map(([source, words]) => `${words.join(', ')} (${source})`)
})

const understood = computed(() => (label.value?.understood.length ?? 0) > 0)

const FIELDS: Record<string, (value: unknown, m: Module) => string> = {
  capacity_gib: (v) => `${v} GB`,
  package_ranks: (v, m) => `${v} ${v === 1 ? 'rank' : 'ranks'}${m.device_width ? ` x ${m.device_width}` : ''}`,
  rate_mts: (v, m) => `${m.generation ?? ''}-${v}${m.timing ? ` ${m.timing}` : ''}`,
  generation: (v, m) => (m.rate_mts ? '' : String(v)),
  buffering: (_, m) => (m.form === 'SO-DIMM' ? 'SO-DIMM' : (kindOf(m) ?? '')),
  form: (v, m) => (m.buffering ? '' : String(v)),
  ecc: (v, m) => (m.buffering === 'unbuffered' || !m.buffering ? (v ? 'ECC' : 'no ECC') : ''),
  device_width: (v, m) => (m.package_ranks ? '' : `x ${v}`),
  timing: (v, m) => (m.rate_mts ? '' : `timing ${v}`),
  part: (v) => `part ${v}`,
  serial: (v) => `serial ${v}`,
  rails_v: (v) => `${(v as number[]).join(' or ')} V`,
  die_gbit: (v) => `${v} Gbit dies`,
  height_mm: (v) => `${v} mm`,
  kit: (v) => `kit of ${v}`,
}

/** Pieces of the text in order, each with the words for what it told. */
const pieces = computed(() => {
  const read = label.value
  if (!read) return []
  const words = new Map<string, string[]>()
  for (const u of read.understood) {
    const key = `${u.from}-${u.to}`
    const told = FIELDS[u.field]?.(u.value, read.module) ?? ''
    words.set(key, [...(words.get(key) ?? []), ...(told ? [told] : [])])
  }
  return [...words.entries()].map(([key, told]) => ({ key, told: [...new Set(told)].join(', ') })).filter((p) => p.told)
})

const follows = computed(() => {
  const m = label.value?.module
  if (!m || !label.value) return ''
  const said = (name: string) => label.value!.derived.includes(name)
  const parts = []
  if (said('die_gbit') && m.die_gbit) parts.push(`${m.die_gbit} Gbit dies by arithmetic`)
  if (said('rails_v') && m.rails_v.length) parts.push(`rail ${m.rails_v.join(' or ')} V`)
  if (said('capacity_gib') && m.capacity_gib) parts.push(`${m.capacity_gib} GB by arithmetic`)
  return parts.join('; ')
})

/** The text cut into understood, not understood and plain stretches, for the line under the field. */
const stretches = computed(() => {
  const read = label.value
  if (!read || read.text !== text.value) return [{ text: text.value, kind: 'plain' }]
  const kinds: string[] = Array.from({ length: read.text.length }, () => 'plain')
  for (const u of read.understood) kinds.fill('known', u.from, u.to)
  for (const u of read.not_understood) kinds.fill('odd', u.from, u.to)
  const found: { text: string; kind: string }[] = []
  ;[...read.text].forEach((c, i) => {
    const last = found.at(-1)
    if (last && last.kind === kinds[i]) last.text += c
    else found.push({ text: c, kind: kinds[i] ?? 'plain' })
  })
  return found
})

function clear(): void {
  text.value = ''
}
defineExpose({ clear })
</script>

<template>
  <div class="entry">
    <label for="label-text">Type what the label says</label>
    <div class="field mono">
      <div class="under" aria-hidden="true">
        <span v-for="(s, i) in stretches" :key="i" :class="s.kind">{{ s.text }}</span>
      </div>
      <input
        id="label-text"
        v-model="text"
        maxlength="400"
        autocomplete="off"
        spellcheck="false"
        placeholder="16GB 2Rx8 PC5-4800B-R"
        aria-describedby="label-meaning"
        @keydown.enter.prevent="place"
        @keydown.escape="clear" />
    </div>
    <div id="label-meaning" class="meaning" aria-live="polite">
      <template v-if="label">
        <div v-if="understood" class="row">
          <button
            type="button"
            class="chip"
            @pointerdown.prevent="emit('grab', label.module, $event)"
            @keydown.enter.prevent="place"
            @keydown.space.prevent="place">
            <span class="visually-hidden">{{ label.short }}: take it in hand</span>
            <span aria-hidden="true">{{ label.module.capacity_gib ?? '?' }}</span>
          </button>
          <span v-for="p in pieces" :key="p.key" class="piece">{{ p.told }}</span>
        </div>
        <p v-if="byNumber.length" class="by-number">By its number: {{ byNumber.join('; ') }}</p>
        <p v-if="label.part?.also.length" class="faded">the same thing as {{ label.part.also.join(', ') }}</p>
        <p v-if="follows" class="faded">{{ follows }}</p>
        <p v-for="c in label.contradictions" :key="c" class="wrong">{{ c }}</p>
        <p v-for="r in label.remarks" :key="r" class="faded">{{ r }}</p>
        <p v-if="label.near.length" class="near">
          Known numbers like it:
          <button v-for="n in label.near" :key="n" type="button" class="quiet-link mono" @click="text = n">
            {{ n }}
          </button>
        </p>
        <p v-if="label.not_understood.length" class="odd-words">
          not understood: {{ label.not_understood.map((p) => `“${p.text}”`).join(', ') }}
        </p>
      </template>
      <p v-else class="faded">{{ hint }}</p>
    </div>
  </div>
</template>

<style scoped>
.entry {
  min-width: 0;
}
label {
  display: block;
  font-weight: 600;
  margin-bottom: 4px;
}
.field {
  position: relative;
  font-size: 17px;
}
/* A whole label stands in a narrow field. */
@media (max-width: 1100px) {
  .field {
    font-size: 13px;
  }
}
.field input,
.under {
  font: inherit;
  line-height: 24px;
  padding: 6px 10px;
  white-space: pre;
  overflow: hidden;
}
.field input {
  width: 100%;
  border: 1px solid var(--ink);
  background: var(--paper);
  color: var(--ink);
  border-radius: 2px;
}
.field input::placeholder {
  color: var(--faded);
  opacity: 0.8;
}
.under {
  position: absolute;
  inset: 1px;
  color: transparent;
  pointer-events: none;
}
.under .known {
  text-decoration: underline 2px var(--go);
  text-underline-offset: 5px;
}
.under .odd {
  text-decoration: underline wavy 1.5px var(--stop);
  text-underline-offset: 5px;
}
.meaning {
  margin-top: 6px;
  min-height: 76px;
  font-size: 13px;
}
.row {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 12px;
  align-items: center;
}
.piece {
  font-weight: 600;
  border-top: 2px solid var(--go);
  padding-top: 1px;
}
.chip {
  min-width: 34px;
  height: 34px;
  padding: 0 6px;
  border: 1.25px solid var(--ink);
  background: var(--sheet);
  box-shadow: 3px 3px 4px var(--shadow);
  font-size: 16px;
  font-weight: 700;
  cursor: grab;
  touch-action: pan-x pan-y;
}
p {
  margin: 2px 0 0;
}
.by-number {
  overflow-wrap: anywhere;
}
.near {
  display: flex;
  flex-wrap: wrap;
  gap: 2px 12px;
}
.wrong {
  color: var(--stop);
}
.odd-words {
  color: var(--stop);
}
</style>
