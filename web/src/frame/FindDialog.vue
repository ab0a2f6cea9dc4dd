<script setup lang="ts">
/** Find anything by a text in it: machines, plans, sheets, parts, modules by serial. */
import { computed, ref, watch } from 'vue'
import { useRouter } from 'vue-router'
import { api, ask, wordsOf, type Found } from '@/api/client'
import { finding, typedAhead } from '@/ui/keys'

const router = useRouter()
const text = ref('')
const field = ref<HTMLInputElement>()
const hits = ref<Found[]>([])
const asked = ref('')
const wrong = ref('')
const at = ref(0)

watch(finding, (open) => {
  if (!open) return
  text.value = typedAhead.value = ''
  hits.value = []
  asked.value = ''
})
// As soon as the field is there: whoever pressed the key goes on typing.
watch(field, (there) => there?.focus(), { flush: 'post' })
watch(
  [field, typedAhead],
  ([there, ahead]) => {
    if (!there || !ahead) return
    text.value += ahead
    typedAhead.value = ''
  },
  { flush: 'post', immediate: true },
)
let turn = 0
watch(text, async (typed) => {
  const mine = ++turn
  at.value = 0
  try {
    const found = await ask(api.GET('/api/found', { params: { query: { q: typed } } }))
    // An answer to what was typed before comes too late.
    if (mine !== turn) return
    hits.value = found
    asked.value = typed.trim()
    wrong.value = ''
  } catch (error) {
    if (mine === turn) wrong.value = wordsOf(error)
  }
})
const nothing = computed(() => asked.value.length > 1 && !hits.value.length)
function target(h: Found): string {
  if (h.kind === 'sheet') return `/machines?q=${encodeURIComponent(h.title)}`
  if (h.kind === 'part') return `/shelf/parts/${encodeURIComponent(h.title)}`
  if (h.kind === 'module') return `/shelf/modules/${encodeURIComponent(h.title)}`
  return `/machines/${h.machine_id}/${h.kind === 'plan' ? 'fit' : 'survey'}`
}
function go(h: Found | undefined): void {
  if (!h) return
  finding.value = false
  void router.push(target(h))
}
function onKey(event: KeyboardEvent): void {
  if (event.key === 'ArrowDown') at.value = Math.min(at.value + 1, hits.value.length - 1)
  else if (event.key === 'ArrowUp') at.value = Math.max(at.value - 1, 0)
  else if (event.key === 'Enter') go(hits.value[at.value])
  else return
  event.preventDefault()
}
</script>

<template>
  <v-dialog :model-value="finding" max-width="600" aria-label="Find" @update:model-value="finding = false">
    <section class="panel find fields">
      <label
        >Find machines, plans, sheets, parts, modules by serial
        <input
          ref="field"
          v-model="text"
          role="combobox"
          aria-controls="find-hits"
          :aria-expanded="hits.length > 0"
          :aria-activedescendant="hits.length ? `hit-${at}` : undefined"
          autocomplete="off"
          spellcheck="false"
          maxlength="200"
          @keydown="onKey" />
      </label>
      <p v-if="wrong" class="wrong small" role="alert">{{ wrong }}</p>
      <p v-else-if="nothing" class="faded small" role="status">
        Nothing has “{{ asked }}” in its name, part number or serial.
      </p>
      <ul id="find-hits" role="listbox" aria-label="Found">
        <li
          v-for="(h, i) in hits"
          :id="`hit-${i}`"
          :key="`${h.kind}-${h.title}-${h.detail}`"
          role="option"
          :aria-selected="i === at"
          @click="go(h)"
          @mousemove="at = i">
          <span class="kind faded small">{{ h.kind }}</span> <b>{{ h.title }}</b>{{ ' ' }}
          <span class="faded small">{{ h.detail }}</span>
        </li>
      </ul>
    </section>
  </v-dialog>
</template>

<style scoped>
.find {
  padding: 16px 20px;
  max-height: 80vh;
  overflow-y: auto;
}
ul {
  list-style: none;
  margin: 8px 0 0;
  padding: 0;
}
li {
  display: grid;
  grid-template-columns: 70px minmax(0, auto) minmax(0, 1fr);
  gap: 10px;
  align-items: baseline;
  padding: 5px 6px;
  border-top: 1px solid var(--rule);
  cursor: pointer;
}
li[aria-selected='true'] {
  background: var(--lit);
  box-shadow: inset 4px 0 var(--umber);
}
p {
  margin: 8px 0 0;
}
</style>
