<script setup lang="ts">
/** The sheet as text: the same document as the questions. Written a moment after the last key; nothing is lost when that fails. */
import { computed, nextTick, onBeforeUnmount, ref, watch } from 'vue'
import { api, ask } from '@/api/client'
import { health } from '@/api/health'
import { session } from '@/frame/session'
import { plural } from '@/ui/words'
import type { Fault, SheetEditor } from './editor'
import { work } from './work'

/** From the last key to sending. [ms] */
const PAUSE = 500
const w = work()
const place = ref<HTMLElement>()
let editor: SheetEditor | null = null
const unsent = ref('')
const ready = ref(0)
let timer = 0

const key = () =>
  `umbrak-sheet-text:${session.account?.id ?? ''}:${w.draft.value?.id ?? w.page.value?.sheet.sheet_id ?? ''}`
const faults = computed<Fault[]>(() =>
  (w.seen.value?.said ?? []).map((s) => ({
    line: s.fault.line,
    column: s.fault.column,
    message: `${s.fault.path ? `${s.fault.path}: ` : ''}${s.fault.message}`,
    severity: s.wrong ? ('error' as const) : ('warning' as const),
    stands: s.fault.stands,
    cure: s.fault.cure,
  })),
)
const first = computed(() => faults.value.find((f) => f.severity === 'error'))

async function begin(): Promise<void> {
  await nextTick()
  const [{ makeEditor }, fields] = await Promise.all([
    import('./editor'),
    ask(api.GET('/api/sheets/fields')).catch(() => null),
  ])
  if (!place.value) return
  editor?.end()
  // What was written and could not be sent outlives a reload.
  const kept = w.mayWrite.value ? localStorage.getItem(key()) : null
  editor = makeEditor(place.value, kept ?? w.text.value, write, !w.mayWrite.value, fields)
  if (kept !== null && kept !== w.text.value) write(kept)
  ready.value++
  editor.show(faults.value)
}
function write(now: string): void {
  unsent.value = now
  try {
    localStorage.setItem(key(), now)
  } catch {
    // no room in the browser: the page itself still has it
  }
  clearTimeout(timer)
  timer = window.setTimeout(() => void send(), PAUSE)
}
async function send(): Promise<void> {
  clearTimeout(timer)
  const now = unsent.value
  if (!now || health.trouble) return
  const was = key()
  if (await w.write(now)) {
    localStorage.removeItem(was)
    localStorage.removeItem(key())
    if (unsent.value === now) unsent.value = ''
  }
}
watch(
  () => health.recoveries,
  () => void send(),
)
watch(w.text, (now) => {
  if (!unsent.value) editor?.take(now)
})
watch(faults, (now) => editor?.show(now))
watch(w.mayWrite, begin, { immediate: true })
onBeforeUnmount(() => {
  clearTimeout(timer)
  void send()
  editor?.end()
})
defineExpose({ send, goTo: (line: number) => editor?.goTo(line) })
</script>

<template>
  <section class="text" aria-label="As text">
    <div ref="place" class="editor"></div>
    <p v-if="first" class="foot small wrong">
      {{ plural(faults.filter((f) => f.severity === 'error').length, 'error') }}:
      <button type="button" class="quiet-link" @click="editor?.goTo(first.line ?? 1)">
        line {{ first.line ?? 1 }}
      </button>
      {{ first.message }}
      <button
        v-if="ready && first.cure && editor?.canMend(first)"
        type="button"
        class="press slim quiet"
        @click="editor?.mend(first)">
        Make it {{ first.cure }}
      </button>
    </p>
    <p v-else class="foot small faded">
      {{
        unsent
          ? 'Being written …'
          : w.draft.value
            ? `As it is in the draft; ${w.draft.value.by} wrote last.`
            : 'As it is kept. Writing begins a draft.'
      }}
      Ctrl and space offers what may stand there.
    </p>
  </section>
</template>

<style scoped>
.text {
  display: grid;
  grid-template-rows: minmax(0, 1fr) auto;
  min-height: 0;
  height: 100%;
}
.editor {
  min-height: 320px;
  overflow: hidden;
}
.foot {
  min-height: 54px;
  margin: 0;
  padding: 6px 16px;
  border-top: 1px solid var(--rule);
}
@media (max-width: 900px) {
  .editor {
    height: 60vh;
  }
}
</style>
