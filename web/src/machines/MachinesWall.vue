<script setup lang="ts">
/** Machines as rows: board, size on one scale for all, the worst thing known; under groups where they are grouped. */
import { computed, ref, watch } from 'vue'
import type { MachineLine, MachinePage } from '@/api/client'
import BoardGlyph from '@/board/BoardGlyph.vue'
import { isLate, waitsWords } from '@/shelf/buying'
import { counted, gb, gbDown, gbUp, meets } from '@/ui/figures'
import SeverityMark from '@/ui/SeverityMark.vue'
import { age, isOld, plural } from '@/ui/words'
import { at, scaleOf, short, ticks, type By } from './wall'

const props = defineProps<{
  page: MachinePage
  by: By
  dense: boolean
  /** Whether machines are being chosen; which are, by id; whether all that the list finds are. */
  choosing: boolean
  chosen: ReadonlyMap<string, string>
  all: boolean
}>()
const emit = defineEmits<{ choose: [some: readonly MachineLine[], is: boolean] }>()
const lines = computed(() => props.page.machines)

/** One scale for every row: what is fitted, planned, official, needed. */
const scale = computed(() =>
  scaleOf(
    lines.value.flatMap((l) => [
      l.summary.installed_gib,
      l.summary.planned_gib ?? 0,
      l.summary.official_gib ?? 0,
      l.need_gib ?? 0,
    ]),
  ),
)
const place = (gib: number | null | undefined) => `${100 * at(gib ?? 0, scale.value)}%`
/** What a line is grouped under. */
function groupOf(l: MachineLine): string {
  return props.by === 'place'
    ? l.about.place.split(',')[0]!.trim()
    : props.by === 'group'
      ? l.about.duty_group
      : props.by === 'model'
        ? l.sheet_title
        : ''
}
const NOBODY: Record<string, string> = { place: 'no place said', group: 'in no duty group', model: '' }
/** The page's machines under their groups; one without a name where they are not grouped. */
const groups = computed(() => {
  const found: { name: string; told: MachinePage['groups'][number] | null; lines: MachineLine[] }[] = []
  for (const l of lines.value) {
    const name = groupOf(l)
    const last = found.at(-1)
    if (last?.name === name) last.lines.push(l)
    else found.push({ name, told: props.page.groups.find((g) => g.name === name) ?? null, lines: [l] })
  }
  return found
})
/** Groups of which only the heading, with its spread, is shown. */
const folded = ref(new Set<string>())
watch(
  () => props.by,
  () => (folded.value = new Set()),
)
function fold(name: string): void {
  const next = new Set(folded.value)
  if (!next.delete(name)) next.add(name)
  folded.value = next
}
const allChosen = (some: readonly MachineLine[]) => props.all || some.every((l) => props.chosen.has(l.id))

const most = (spread: Record<string, number>) => Math.max(1, ...Object.values(spread))
/** What nobody knows the size of is not counted. */
const fitted = (l: MachineLine) => counted(l.summary.installed_gib, l.summary.not_counted)
/** Need is of what is usable. */
const usableMet = (l: MachineLine) => l.need_gib !== null && meets(l.summary.usable_gib, l.need_gib)
</script>

<template>
  <table :class="{ dense }">
    <thead>
      <tr>
        <th scope="col">
          <label v-if="choosing" class="pick"
            ><input
              type="checkbox"
              :checked="allChosen(lines)"
              :disabled="all"
              aria-label="Choose all of this page"
              @change="emit('choose', lines, ($event.target as HTMLInputElement).checked)" /></label
          >board
        </th>
        <th scope="col">machine</th>
        <th scope="col" class="figure">now → plan</th>
        <th scope="col" class="axis">
          <span class="visually-hidden">on one scale</span
          ><span
            v-for="t in ticks(scale).filter((x) => at(x, scale) < 0.93)"
            :key="t"
            class="tick"
            :style="{ left: place(t) }"
            aria-hidden="true"
            >{{ short(t) }}</span
          >
        </th>
        <th scope="col">worst thing known</th>
        <th scope="col">at</th>
        <th scope="col">surveyed</th>
      </tr>
    </thead>
    <tbody v-for="g in groups" :key="g.name">
      <tr v-if="by" class="group">
        <th scope="rowgroup" colspan="2">
          <label v-if="choosing" class="pick"
            ><input
              type="checkbox"
              :checked="allChosen(g.lines)"
              :disabled="all"
              :aria-label="`Choose those of ${g.name || NOBODY[by]} on this page`"
              @change="emit('choose', g.lines, ($event.target as HTMLInputElement).checked)" /></label
          ><button type="button" class="unfold" :aria-expanded="!folded.has(g.name)" @click="fold(g.name)">
            <i aria-hidden="true"></i>{{ g.name || NOBODY[by] }}</button
          >{{ ' ' }}
          <span v-if="g.told" class="faded">{{ plural(g.told.count, 'machine') }}</span>
        </th>
        <td class="figure faded small">
          <template v-if="g.told">{{ gbDown(g.told.installed_gib) }} GB</template>
        </td>
        <td class="axis">
          <i
            v-for="(n, d) in g.told?.spread ?? {}"
            :key="d"
            class="spread"
            :style="{ left: place(2 ** Number(d) * 1.41), height: `${(100 * n) / most(g.told!.spread)}%` }"
            :title="`${n} from ${2 ** Number(d)} GB`"></i>
        </td>
        <td colspan="3" class="faded small">
          {{ g.told && g.lines.length < g.told.count ? `${g.lines.length} of ${g.told.count} on this page` : '' }}
        </td>
      </tr>
      <tr v-for="l in folded.has(g.name) ? [] : g.lines" :key="l.id">
        <td class="glyph-cell">
          <label v-if="choosing" class="pick"
            ><input
              type="checkbox"
              :checked="all || chosen.has(l.id)"
              :disabled="all"
              :aria-label="`Choose ${l.name}`"
              @change="emit('choose', [l], ($event.target as HTMLInputElement).checked)" /></label
          ><BoardGlyph :groups="l.summary.glyph" />
        </td>
        <td>
          <router-link class="name" :to="`/machines/${l.id}/${l.plan ? 'fit' : 'survey'}`">{{ l.name }}</router-link>
          <div class="faded small">{{ l.sheet_title }}</div>
          <div v-if="!dense" class="faded small">
            {{
              [
                by === 'place' ? '' : l.about.place || l.site,
                by !== 'group' && l.about.duty_group ? `group ${l.about.duty_group}` : '',
              ]
                .filter(Boolean)
                .join('; ')
            }}
          </div>
        </td>
        <td class="figure">
          <template v-if="l.summary.planned_gib !== null && l.summary.planned_gib !== l.summary.installed_gib"
            ><span class="faded">{{ fitted(l) }} →</span>{{ ' ' }}
            <strong>{{ counted(l.summary.planned_gib, l.summary.planned_not_counted) }}</strong></template
          >
          <template v-else
            ><strong>{{ fitted(l) }}</strong
            ><small v-if="l.summary.planned_gib !== null" class="faded"> rearranged</small></template
          >
          <span class="visually-hidden"> GB</span>
        </td>
        <td
          class="axis"
          :title="
            [
              `${fitted(l)} GB fitted`,
              l.summary.official_gib ? `${gb(l.summary.official_gib)} official` : 'nobody states a limit',
              l.need_gib ? `need ${gbUp(l.need_gib)}` : '',
            ]
              .filter(Boolean)
              .join(', ')
          ">
          <i
            class="now"
            :class="{ unseen: l.summary.not_counted }"
            :style="{ width: place(l.summary.installed_gib) }"></i>
          <i
            v-if="(l.summary.planned_gib ?? 0) > l.summary.installed_gib"
            class="plan"
            :style="{
              left: place(l.summary.installed_gib),
              right: `calc(100% - ${place(l.summary.planned_gib)})`,
            }"></i>
          <i v-if="l.summary.official_gib" class="official" :style="{ left: place(l.summary.official_gib) }"></i>
          <i v-if="l.need_gib" class="gate" :class="{ met: usableMet(l) }" :style="{ left: place(l.need_gib) }"></i>
        </td>
        <td>
          <div v-if="l.summary.failed && l.summary.worst_severity !== 'stop'" class="worst failed">
            <SeverityMark severity="stop" />
            <strong>{{ plural(l.summary.failed, 'module') }} failed</strong>
          </div>
          <div v-if="l.summary.worst_message || !l.summary.failed" class="worst">
            <SeverityMark :severity="(l.summary.worst_severity as 'stop' | null) ?? 'go'" />
            <div>
              <strong>{{ l.summary.worst_message ?? 'nothing known against it' }}</strong>
              <div v-if="l.plan && !dense" class="faded small">in the plan “{{ l.plan }}”</div>
            </div>
          </div>
        </td>
        <td class="at">
          <span class="station">{{ l.station }}</span>
          <router-link
            v-if="l.waits"
            class="quiet-link small nowrap"
            :class="{ late: isLate(l.waits) }"
            to="/shelf/orders"
            >{{ waitsWords(l.waits) }}</router-link
          >
          <div
            v-if="l.summary.known < l.summary.total || !dense"
            class="small nowrap"
            :class="l.summary.known < l.summary.total ? 'lacking' : 'faded'">
            {{ l.summary.known }} of {{ l.summary.total }} known
          </div>
        </td>
        <td
          class="nowrap"
          :class="isOld(l.surveyed_at) ? 'old' : 'faded'"
          :title="isOld(l.surveyed_at) ? 'an old survey: look again before buying' : undefined">
          {{ age(l.surveyed_at) }}
        </td>
      </tr>
    </tbody>
  </table>
  <p class="legend small faded" aria-hidden="true">
    <i class="now"></i> fitted <i class="now unseen"></i> fitted, not all seen <i class="plan"></i> planned
    <i class="official"></i> official <i class="gate met"></i> need, met <i class="gate"></i> need, not met
  </p>
</template>

<style scoped>
.unfold {
  display: inline-flex;
  gap: 9px;
  align-items: center;
  color: inherit;
  font: inherit;
}
/* A pad: filled where its machines are shown. */
.unfold i {
  width: 11px;
  height: 11px;
  border: 2px solid var(--ink);
  border-radius: 50%;
}
.unfold[aria-expanded='true'] i {
  background: var(--ink);
}
table {
  width: 100%;
  border-collapse: collapse;
}
@media (min-width: 1100px) {
  table {
    table-layout: fixed;
  }
  th:nth-child(1) {
    width: 206px;
  }
  th:nth-child(2) {
    width: 165px;
  }
  th:nth-child(3) {
    width: 108px;
  }
  th:nth-child(6) {
    width: 108px;
  }
  th:nth-child(7) {
    width: 84px;
  }
}
th {
  font-weight: 400;
  font-size: 13px;
  color: var(--faded);
  text-align: left;
  padding: 10px 12px 6px;
  white-space: nowrap;
}
td {
  padding: 10px 12px;
  border-top: 1px solid var(--rule);
  vertical-align: top;
}
th:first-child,
td:first-child {
  padding-left: 40px;
}
.pick {
  display: inline-grid;
  place-items: center;
  width: 28px;
  height: 28px;
  margin: -4px 4px -4px -32px;
  vertical-align: middle;
}
.pick input {
  accent-color: var(--umber);
  width: 16px;
  height: 16px;
}
.glyph-cell {
  padding-top: 14px;
  width: 150px;
}
tr:hover td {
  background: var(--lit);
}
.name {
  font-size: 17px;
  font-weight: 650;
  color: var(--ink);
  text-decoration: none;
}
.name:hover {
  color: var(--umber);
  text-decoration: underline;
}
.figure {
  text-align: right;
  white-space: nowrap;
}
.figure strong {
  font-size: 17px;
}
.axis {
  position: relative;
  width: 250px;
  padding-left: 0;
  padding-right: 0;
}
th.axis {
  height: 30px;
}
.tick {
  position: absolute;
  bottom: 4px;
  transform: translateX(-50%);
  font-size: 12px;
}
.axis i,
.legend i {
  position: absolute;
}
.now {
  left: 0;
  top: 17px;
  height: 11px;
  background: #c6b598;
  border: 1px solid var(--module-edge);
}
.now.unseen {
  background: repeating-linear-gradient(135deg, #c6b598 0 4px, var(--sheet) 4px 8px);
}
.plan {
  top: 13px;
  height: 12px;
  border: 1.25px solid var(--ink);
  background: var(--sheet);
  box-shadow: 3px 3px 3px var(--shadow);
}
.official {
  top: 12px;
  height: 20px;
  width: 2px;
  background: var(--umber);
}
/* A gate that the bar passes, or does not. */
.gate {
  top: 9px;
  width: 8px;
  height: 24px;
  margin-left: -4px;
  border: 2px solid var(--stop);
  border-bottom: 0;
}
.gate.met {
  border-color: var(--ink);
}
.spread {
  bottom: 0;
  width: 6px;
  margin-left: -3px;
  max-height: 18px;
  background: #c6b598;
}
.group th,
.group td {
  padding-top: 14px;
  padding-bottom: 4px;
  border-top: 1px solid var(--module-edge);
  color: var(--ink);
  font-size: 15px;
}
.group th {
  font-weight: 650;
}
.dense td {
  padding-top: 4px;
  padding-bottom: 4px;
}
.dense .now {
  top: 11px;
}
.dense .plan {
  top: 7px;
}
.dense .official {
  top: 6px;
}
.dense .gate {
  top: 4px;
}
.dense .glyph-cell {
  padding-top: 8px;
}
.legend {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 8px;
  align-items: center;
  padding: 8px 16px;
  margin: 0;
  border-top: 1px solid var(--rule);
}
.legend i {
  position: static;
  display: inline-block;
  width: 26px;
  margin-left: 12px;
}
.legend .official {
  width: 2px;
}
.legend .gate {
  width: 8px;
  height: 15px;
}
.worst {
  display: flex;
  gap: 9px;
  align-items: flex-start;
  min-width: 200px;
  max-width: 420px;
}
.worst .mark {
  margin-top: 4px;
}
.worst strong {
  font-weight: 600;
  font-size: 14px;
}
.station {
  font-weight: 600;
}
.failed {
  color: var(--stop);
  margin-bottom: 4px;
}
.old {
  color: var(--slow);
  font-weight: 600;
}
.lacking {
  color: var(--ask);
  text-decoration: underline dashed 1px;
  text-underline-offset: 3px;
}
.late {
  color: var(--stop);
}
.nowrap {
  white-space: nowrap;
}
@media (max-width: 700px) {
  thead {
    display: none;
  }
  tr {
    display: grid;
    grid-template-columns: 120px minmax(0, 1fr);
    border-top: 1px solid var(--rule);
    padding: 8px 14px;
    gap: 2px 12px;
  }
  td,
  td:first-child {
    border: 0;
    padding: 2px 0;
    width: auto;
  }
  td:nth-child(n + 3) {
    grid-column: 1 / 3;
  }
  .pick {
    margin: 0 4px 0 -8px;
    width: 44px;
    height: 44px;
  }
  td.axis {
    height: 38px;
    width: auto;
    min-width: 0;
  }
  td.figure {
    text-align: left;
  }
  .group {
    display: block;
  }
  td .nowrap {
    white-space: normal;
  }
  tr:hover td {
    background: none;
  }
}
</style>
