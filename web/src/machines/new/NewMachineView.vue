<script setup lang="ts">
/** New machine: what is at hand in any order, and its board drawn from the first answer on. Nothing has to be complete. */
import { computed, ref } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { api, ask, type Module } from '@/api/client'
import { moduleWords } from '@/board/state'
import KindFound from '@/intake/KindFound.vue'
import ReportInput from '@/intake/ReportInput.vue'
import { useHand } from '@/stations/fit/hand'
import LabelEntry from '@/stations/fit/LabelEntry.vue'
import FieldFault from '@/ui/FieldFault.vue'
import SeverityMark from '@/ui/SeverityMark.vue'
import { useTitle } from '@/ui/title'
import { useTogether } from '@/ui/together'
import { oddities, plural } from '@/ui/words'
import { ABOUT } from '../about'
import AboutFields from '../AboutFields.vue'
import { progress, titled } from './answers'
import AskPart from './AskPart.vue'
import BoardPart from './BoardPart.vue'
import BoardSide from './BoardSide.vue'
import DrivePart from './DrivePart.vue'
import KindPart from './KindPart.vue'
import LimitPart from './LimitPart.vue'
import WhatItIs from './WhatItIs.vue'
import { useMaking } from './making'

useTitle(() => 'New machine')
const router = useRouter()
const route = useRoute()
const again = ref(false)
const making = useMaking(
  (id) =>
    void (again.value
      ? router.replace('/machines/new')
      : router.push(id ? `/machines/${id}/${wasSheet ? 'survey' : 'ceiling'}` : '/machines')),
)
const { said } = making
const { whole, part } = useTogether()
void making.first.finally(part())
let wasSheet = false
const reporting = ref(false)
const side = ref<InstanceType<typeof BoardSide>>()
const hand = useHand({
  targets: async () => [],
  drop: (held, slot) => {
    if (held.from && held.from !== slot) making.setSlot(held.from, null)
    making.setSlot(slot, held.module)
  },
})
const { held, pointer } = hand

// One that was kept without a board; a report that was read with many others.
if (typeof route.query.waiting === 'string') void making.goOn(route.query.waiting)
if (typeof route.query.intake === 'string') {
  const key = route.query.intake
  if (typeof route.query.name === 'string') said.name = route.query.name
  if (said.intake?.id !== key)
    ask(api.GET('/api/intakes/{intake_id}', { params: { path: { intake_id: key } } })).then(
      making.tookIn,
      (error: Error) => (making.wrong.value = error.message),
    )
}

/** What a label tells the board must take, as soon as it is read; where it sits is said by putting it there. */
function take(module: Module): void {
  if (!said.sheet) making.follow(module)
  hand.take(module, null)
  side.value?.focus()
}
const labelled = computed(
  () =>
    Object.entries(said.fitted).filter(
      ([place, x]) => x && x !== 'unknown' && Number(place) < making.slots.value.length,
    ).length,
)
const reading = computed(() => said.intake?.reading)
const odd = computed(() => oddities(reading.value?.warnings ?? []))
async function keep(another: boolean): Promise<void> {
  again.value = another
  wasSheet = !!said.sheet
  await making.keep()
}
/** A model without a machine yet: what its guide tells is said in the workbench. */
async function onlySheet(): Promise<void> {
  const draft = await making.onlySheet()
  if (draft) await router.push(`/sheets/drafts/${draft}`)
}
const faults = computed(() => making.faults)
/** What the server says of fields that stand in no part here. */
const rest = computed(() =>
  Object.entries(making.faults)
    .filter(
      ([f]) =>
        ![
          'name',
          'site',
          'model',
          'generation',
          'form',
          'carriers',
          'names',
          'behind',
          'rows',
          'bays',
          'limit_gib',
          'limit_by',
          'place',
          'serial',
          'warranty_end',
          'duty_group',
          'keeper',
        ].includes(f) && !f.startsWith('channels'),
    )
    .map(([, words]) => words),
)
</script>

<template>
  <div class="page new">
    <header>
      <h1>New machine</h1>
      <label
        ><span class="visually-hidden">Name</span
        ><input v-model="said.name" aria-label="Name" maxlength="120" placeholder="its name" class="name"
      /></label>
      <label class="where"
        ><input v-model="said.site" aria-label="Site" maxlength="120" placeholder="site" /> /
        <input v-model="said.about.place" aria-label="Place" maxlength="200" placeholder="place"
      /></label>
      <FieldFault :of="faults" name="name" />
      <span class="faded small order">in any order</span>
      <button type="button" class="quiet-link" :aria-expanded="reporting || !!reading" @click="reporting = !reporting">
        {{ reading ? 'Another report' : 'Drop or paste a report' }}
      </button>
      <router-link class="quiet-link" to="/machines">Cancel</router-link>
    </header>
    <p v-if="making.isOld.value" class="small left" role="status">
      This was begun before and not kept.
      <button type="button" class="quiet-link" @click="making.anew">Begin anew</button>
    </p>
    <div v-show="whole" class="columns">
      <div class="asks">
        <AskPart v-if="reporting || reading" title="What it reports" :done="reading ? 'all' : 'none'">
          <template v-if="reading && !reporting">
            <p>
              <b>{{ titled(reading.system?.maker, reading.system?.model) || 'a machine without a name' }}</b>
              <span class="faded small beside"
                >{{ plural(reading.slots.length, 'slot') }} reported,
                {{
                  reading.processors.length ? plural(reading.processors.length, 'processor') : 'processors not told'
                }}, firmware {{ reading.firmware?.version ?? 'not known' }}; from {{ said.intake!.source_name }}</span
              >
            </p>
            <p v-if="reading.virtual" class="guest" role="alert">
              <SeverityMark severity="stop" /><span
                ><b>This is a virtual machine's report</b>: its slots and totals are what its host gives it, and no
                board has them. Leave it out, and ask the host itself.</span
              >
            </p>
            <p v-if="making.here.value" class="guest" role="alert">
              <SeverityMark severity="stop" />
              <span
                ><b>{{ making.here.value.name }} has this serial number</b
                >{{ making.here.value.retired ? ' (it is retired)' : '' }}: one machine need not be made twice.
                <router-link
                  class="quiet-link"
                  :to="{ path: `/machines/${making.here.value.id}/survey`, query: { intake: said.intake!.id } }"
                  >Take the report over there</router-link
                ></span
              >
            </p>
            <p><KindFound :intake="said.intake!" @taken="making.tookIn" /></p>
            <details v-if="odd.length" class="small" :open="odd.length <= 3">
              <summary>{{ plural(odd.length, 'thing') }} to look at in it</summary>
              <ul>
                <li v-for="w in odd" :key="w.message">
                  <b>{{ w.where }}</b> {{ w.message }}
                </li>
              </ul>
            </details>
            <p class="small">
              <button type="button" class="quiet-link" @click="Object.assign(said, { intake: null, placed: {} })">
                Leave the report out
              </button>
            </p>
          </template>
          <ReportInput v-else @taken="((reporting = false), making.tookIn($event))" />
        </AskPart>
        <WhatItIs :making="making" />
        <template v-if="!said.sheet">
          <BoardPart :making="making" />
          <KindPart :making="making" />
        </template>
        <AskPart
          title="Labels of modules"
          :done="labelled ? 'all' : 'none'"
          :note="labelled ? `${labelled} in their slots` : 'one is enough for generation, form and kind'">
          <LabelEntry
            hint="Press Enter, then click the slots that hold such a module."
            @place="take"
            @grab="(module, event) => hand.press(event, module, null, () => take(module))" />
        </AskPart>
        <template v-if="!said.sheet">
          <DrivePart :making="making" />
          <LimitPart :making="making" />
        </template>
        <AskPart
          title="Whose it is"
          :done="progress(...ABOUT.filter((f) => f.atFirst).map((f) => !!said.about[f.name]))"
          note="can wait">
          <div class="about fields">
            <AboutFields
              v-model="said.about"
              :faults="faults"
              first
              :reported="{ serial: reading?.system?.serial ?? '' }" />
          </div>
        </AskPart>
      </div>
      <div class="right">
        <BoardSide ref="side" :making="making" :hand="hand" />
        <div class="keep">
          <p v-if="making.wrong.value || rest.length" class="wrong" role="alert">
            {{ [making.wrong.value, ...rest].filter(Boolean).join(' ') }}
          </p>
          <p v-if="making.waits.value" class="small waits" role="status">
            Umbrak cannot be reached. The machine is kept in this browser, and is sent as soon as there is a connection;
            another can be begun.
          </p>
          <div class="do">
            <button
              type="button"
              class="press"
              :disabled="!!making.lacking.value.length || making.sending.value"
              @click="keep(false)">
              Keep {{ said.name.trim() || 'it' }}{{ said.sheet ? '' : ', on to Ceiling' }}
            </button>
            <button
              type="button"
              class="quiet-link"
              :disabled="!!making.lacking.value.length || making.sending.value"
              @click="keep(true)">
              Keep and begin another
            </button>
            <button
              v-if="!said.sheet"
              type="button"
              class="quiet-link"
              :disabled="!said.name.trim() || making.sending.value"
              @click="((again = false), making.wait())">
              Keep it, its board later
            </button>
            <button
              v-if="!said.sheet && said.answers.model"
              type="button"
              class="quiet-link"
              :disabled="making.sending.value || !making.board.value"
              @click="onlySheet">
              Only its sheet, on to its questions
            </button>
          </div>
          <p class="faded small">
            <template v-if="making.lacking.value.length"
              >Still missing: {{ making.lacking.value.join(', ') }}.</template
            >
            <template v-else-if="!said.sheet"
              >Makes the sheet {{ making.built.value?.title }}, which tells what was answered and no more.</template
            >
          </p>
        </div>
      </div>
    </div>
    <div
      v-if="pointer && held"
      class="flying"
      :style="{ transform: `translate(${pointer.x + 10}px, ${pointer.y + 8}px)` }">
      {{ moduleWords(held.module) }}
    </div>
  </div>
</template>

<style scoped>
header {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 6px 14px;
}
.order {
  margin-left: auto;
}
.new :deep(input:not([type='checkbox'], [type='file'], .count input)),
.new :deep(select) {
  min-height: 30px;
  padding: 2px 8px;
  border: 1px solid var(--module-edge);
  border-radius: 4px;
  background: var(--sheet);
  color: var(--ink);
  min-width: 0;
}
.name {
  width: 150px;
  font-weight: 650;
}
.where input {
  width: 120px;
}
.left {
  border-bottom: 1px solid var(--rule);
}
.columns {
  display: grid;
  grid-template-columns: minmax(0, 1fr) minmax(0, 1.05fr);
  align-items: start;
}
.asks {
  border-right: 1px solid var(--rule);
}
.right {
  position: sticky;
  top: 0;
  min-width: 0;
}
.about {
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(150px, 1fr));
  gap: 6px 12px;
}
.keep {
  display: grid;
  gap: 6px;
  padding: 12px 16px;
  border-top: 1px solid var(--rule);
  position: sticky;
  bottom: 0;
  background: var(--sheet);
}
.do {
  display: flex;
  flex-wrap: wrap;
  gap: 8px 20px;
  align-items: center;
}
.beside {
  margin-left: 8px;
}
.guest {
  display: flex;
  gap: 8px;
  align-items: baseline;
  margin: 6px 0;
  padding: 6px 0;
  border: solid var(--rule);
  border-width: 1px 0;
}
.waits {
  border-left: 3px solid var(--ask);
  padding-left: 10px;
}
p {
  margin: 0;
}
@media (max-width: 900px) {
  .columns {
    grid-template-columns: minmax(0, 1fr);
  }
  .right,
  .keep {
    position: static;
  }
}
</style>
