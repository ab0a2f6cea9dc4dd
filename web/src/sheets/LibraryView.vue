<script setup lang="ts">
/** The library: every sheet with what it tells and what stands on it. */
import { computed, ref, shallowRef } from 'vue'
import { api, ask, wordsOf, type LibraryLine } from '@/api/client'
import { health } from '@/api/health'
import BoardGlyph from '@/board/BoardGlyph.vue'
import { session } from '@/frame/session'
import { vLines } from '@/ui/lines'
import WaitingList from '@/machines/WaitingList.vue'
import { useLoaded } from '@/frame/live'
import { useTitle } from '@/ui/title'
import { age, plural } from '@/ui/words'
import ComingLibrary from './ComingLibrary.vue'
import ListIn from './ListIn.vue'
import WaitingLines from './WaitingLines.vue'

useTitle(() => 'Sheets')
const lines = shallowRef<LibraryLine[]>()
const wrong = ref('')
const text = ref('')

async function load(): Promise<void> {
  try {
    lines.value = await ask(api.GET('/api/sheets/library'))
    wrong.value = ''
  } catch (error) {
    wrong.value = wordsOf(error)
  }
}
useLoaded(() => null, load)
const plain = (s: string) => s.toLowerCase().replace(/[^a-z0-9]/g, '')
const shown = computed(() => {
  const sought = plain(text.value)
  return (lines.value ?? []).filter((l) =>
    [l.sheet.title, l.sheet.sheet_id, ...l.models].some((n) => plain(n).includes(sought)),
  )
})
const parts = computed(() => [
  { words: '', lines: shown.value.filter((l) => !l.sheet.archetype && !l.retired) },
  { words: 'Common architectures, to begin from', lines: shown.value.filter((l) => l.sheet.archetype) },
  { words: 'Retired', lines: shown.value.filter((l) => l.retired) },
])
const doubts = computed(() => (lines.value ?? []).reduce((n, l) => n + l.uses.doubts, 0))
/** What comes in by a file. */
const coming = ref<'sheets' | 'list' | null>(null)
const waits = ref<InstanceType<typeof WaitingLines>>()
const toggle = (what: 'sheets' | 'list') => (coming.value = coming.value === what ? null : what)
async function listed(): Promise<void> {
  await Promise.all([load(), waits.value?.load()])
}
const glyph = (l: LibraryLine) =>
  l.glyph.slice(0, 2).map((g) => ({ socket: g.socket, slots: 'e'.repeat(Math.min(g.slots, 16)), soldered: g.soldered }))
</script>

<template>
  <div class="page library">
    <header>
      <h1>Sheets</h1>
      <span v-if="lines" class="faded">{{ plural(lines.filter((l) => !l.sheet.archetype).length, 'model') }}</span>
      <span v-if="doubts" class="open">{{ plural(doubts, 'clause') }} in doubt</span>
      <input v-model="text" type="search" placeholder="title or any other name" aria-label="Find a sheet" />
      <button
        v-if="session.mayWrite()"
        type="button"
        class="quiet-link"
        :aria-expanded="coming === 'sheets'"
        @click="toggle('sheets')">
        Import
      </button>
      <button
        v-if="session.mayWrite()"
        type="button"
        class="quiet-link"
        :aria-expanded="coming === 'list'"
        @click="toggle('list')">
        Qualified list
      </button>
      <a class="quiet-link" href="/api/sheets/file" download>Export all</a>
      <router-link v-if="session.mayWrite()" class="press" to="/machines/new">New sheet</router-link>
    </header>
    <p v-if="wrong && !health.trouble" class="wrong" role="alert">{{ wrong }}</p>
    <ComingLibrary v-if="coming === 'sheets'" @done="load" />
    <ListIn v-if="coming === 'list'" @done="listed" />
    <WaitingLines v-if="lines" ref="waits" :lines="lines" @done="load" />
    <WaitingList @made="load" />
    <div v-if="lines" class="panel list">
      <p v-if="!shown.length" class="faded none">No sheet has “{{ text }}” among its names.</p>
      <table v-lines v-else>
        <thead>
          <tr>
            <th scope="col">board</th>
            <th scope="col">model</th>
            <th scope="col">facts told</th>
            <th scope="col">open</th>
            <th scope="col">stands on it</th>
            <th scope="col">kept</th>
          </tr>
        </thead>
        <tbody v-for="part in parts" :key="part.words">
          <tr v-if="part.words && part.lines.length" class="group">
            <th scope="rowgroup" colspan="6">{{ part.words }}</th>
          </tr>
          <tr v-for="l in part.lines" :key="l.sheet.hash">
            <td class="glyph-cell"><BoardGlyph :groups="glyph(l)" /></td>
            <td>
              <router-link class="name" :to="`/sheets/${l.sheet.hash}`">{{ l.sheet.title }}</router-link>
              <div class="faded small">{{ [l.sheet.kind, ...l.models].join(', ') }}</div>
              <div v-if="l.retired" class="faded small">
                retired by {{ l.retired.by }}{{ l.retired.why ? `: ${l.retired.why}` : '' }}
              </div>
            </td>
            <td>
              <span
                class="bar"
                :style="{ '--told': l.facts.told / Math.max(1, l.facts.told + l.facts.untold + l.facts.open) }"
                aria-hidden="true"></span>
              {{ l.facts.told }} of {{ l.facts.told + l.facts.untold + l.facts.open
              }}<span v-if="l.facts.untold" class="faded small">, {{ l.facts.untold }} not in its guide</span>
            </td>
            <td :class="{ open: l.facts.open }">{{ l.facts.open || '' }}</td>
            <td class="small">
              {{
                [l.uses.machines && plural(l.uses.machines, 'machine'), l.uses.plans && plural(l.uses.plans, 'plan')]
                  .filter(Boolean)
                  .join(', ')
              }}
              <b v-if="l.uses.doubts" class="open">{{ plural(l.uses.doubts, 'clause') }} in doubt</b>
            </td>
            <td class="faded small">
              {{ age(l.kept_at) }}<template v-if="l.sheet.revision > 1">, revision {{ l.sheet.revision }}</template>
              <div v-if="l.draft" class="drafted">{{ l.draft.by }} drafts the next</div>
            </td>
          </tr>
        </tbody>
      </table>
    </div>
  </div>
</template>

<style scoped>
header {
  display: flex;
  flex-wrap: wrap;
  gap: 8px 16px;
  align-items: center;
}
header input {
  margin-left: auto;
  height: 36px;
  padding: 0 10px;
  border: 1px solid var(--module-edge);
  border-radius: 4px;
  background: var(--sheet);
  color: var(--ink);
}
.list {
  overflow-x: auto;
  padding: 4px 16px 12px;
}
table {
  width: 100%;
  border-collapse: collapse;
  font-size: 14px;
}
th,
td {
  text-align: left;
  padding: 7px 14px 7px 0;
}
thead th {
  font-weight: 400;
  font-size: 13px;
  color: var(--faded);
}
tbody tr {
  border-top: 1px solid var(--rule);
}
.group th {
  padding-top: 18px;
}
.name {
  color: var(--ink);
  font-weight: 650;
  text-decoration: none;
  font-size: 15px;
}
.glyph-cell {
  width: 150px;
}
.bar {
  display: inline-block;
  width: 60px;
  height: 6px;
  margin-right: 6px;
  background: linear-gradient(90deg, var(--umber) calc(100% * var(--told)), var(--rule) 0);
}
.open {
  color: var(--ask);
}
.drafted {
  color: var(--umber);
}
.none {
  padding: 20px 0;
}
</style>
