<script setup lang="ts">
/** The fault search: what is believed of each suspect, the next boot to try, what it showed, and how it ended. */
import { computed, ref } from 'vue'
import { wordsOf, type FaultTrial, type MachineView, type Proof } from '@/api/client'
import { clock, plural } from '@/ui/words'
import { percent } from '@/ui/figures'
import FaultEnd from './FaultEnd.vue'
import { goingOn, likelyResults, printedOf } from './words'

const props = defineProps<{
  machine: MachineView
  proof: Proof
  active: boolean
  enter: (entry: Record<string, unknown>) => Promise<void>
  trial: FaultTrial | null
  picking: boolean
  picked: string[]
  /** A memory test found errors since modules were handled last. */
  failedTest: boolean
}>()
const emit = defineEmits<{ choose: [trial: FaultTrial]; pick: [on: boolean] }>()
const SYMPTOMS = [
  'total short',
  'slots of a channel gone',
  'memory test fails',
  'no start',
  'coded beeps or lights',
  'restarts under load',
  'counters rising',
]
const TOLD = new Set(['total short', 'slots of a channel gone', 'counters rising'])
const faults = computed(() => props.proof.faults)
const open = computed(() => faults.value !== null && faults.value.ended === null)
const dark = computed(
  () =>
    props.proof.seen?.comparison.slots.filter((s) => s.seen === 'missing' || s.seen === 'smaller').map((s) => s.slot) ??
    [],
)
const symptom = ref(
  dark.value.length > 1
    ? 'slots of a channel gone'
    : dark.value.length
      ? 'total short'
      : props.failedTest
        ? 'memory test fails'
        : 'no start',
)
const opened = ref(false)
const settled = computed(
  () => faults.value !== null && faults.value.ended !== null && !dark.value.length && !opened.value,
)
/** What ended it, and how sure that was where the boots named it; whoever ended it otherwise said so, and nothing is added. */
const endedAs = computed(() => {
  const { ended, culprit, odds } = faults.value!
  return culprit && (!ended || ended === culprit) ? `${culprit}, ${percent(odds)} sure` : ended || 'nothing was named'
})
const wrong = ref('')
const busy = ref(false)
const results = computed(() => (faults.value && props.trial ? likelyResults(faults.value, props.trial) : []))
const names = (slots: string[]) => slots.map((s) => printedOf(props.machine.board, s)).join(', ')

async function act(entry: Record<string, unknown>): Promise<void> {
  busy.value = true
  wrong.value = ''
  try {
    await props.enter(entry)
  } catch (error) {
    wrong.value = wordsOf(error)
  } finally {
    busy.value = false
  }
}
const begin = () => act({ kind: 'symptom', symptom: symptom.value, dark: TOLD.has(symptom.value) ? dark.value : [] })
const booted = (slots: string[], showed = slots.length > 0) =>
  act({
    kind: 'boot',
    arrangement: props.trial!.arrangement,
    reseated: props.trial!.reseated,
    dark: slots,
    showed,
    named: lit.value,
  }).then(() => {
    lit.value = []
    lighting.value = false
  })
const lighting = ref(false)
const lit = ref<string[]>([])
/** Slots that are filled at the next boot, in the board's order. */
const lightable = computed(() =>
  props.machine.board.slots.map((s) => s.id).filter((s) => props.trial && s in props.trial.arrangement),
)
const giving = ref(false)
const left = computed(() => {
  const going = faults.value?.left
  return going ? goingOn(going, names) : ''
})
</script>

<template>
  <!-- Ended, and nothing is dark any more: one line is enough, and the search can be opened again. -->
  <section v-if="settled" class="panel settled" aria-labelledby="faults-title">
    <h2 id="faults-title">Fault search</h2>
    <span class="small">Ended: {{ endedAs }}, after {{ plural(faults!.boots.length, 'boot') }}.</span>
    <button type="button" class="quiet-link" @click="opened = true">Open it</button>
  </section>
  <section v-else class="panel faults" aria-labelledby="faults-title">
    <div class="believed">
      <h2 id="faults-title">
        Fault search
        <span v-if="faults" class="faded small"
          >{{ faults.symptom }}; {{ plural(faults.boots.length, 'boot') }} so far</span
        >
      </h2>
      <template v-if="faults">
        <ul class="bars" aria-label="What is believed">
          <li v-for="(b, i) in faults.beliefs" :key="b.words" :class="{ first: i === 0 }">
            <span class="who">{{ b.words }}</span>
            <span class="track"><span class="fill" :style="{ width: `${100 * b.belief}%` }"></span></span>
            <b>{{ percent(b.belief) }}</b>
          </li>
        </ul>
      </template>
      <p v-else class="small faded">
        Each boot with the modules in other places tells something; the search names the boot that tells most for its
        minutes, and ends with a culprit and the odds.
      </p>
    </div>
    <div class="next">
      <template v-if="!faults || !open">
        <p v-if="faults?.ended !== null && faults" class="small">Ended: {{ endedAs }}.</p>
        <form v-if="active" class="fields start" @submit.prevent="begin">
          <label
            >What is seen
            <select v-model="symptom">
              <option v-for="s in SYMPTOMS" :key="s">{{ s }}</option>
            </select></label
          >
          <p v-if="TOLD.has(symptom)" class="small faded">
            {{
              dark.length
                ? `not seen: ${names(dark)}`
                : 'Look at the machine first: which slots it does not see is where the search begins.'
            }}
          </p>
          <button class="press slim" type="submit" :disabled="busy || (TOLD.has(symptom) && !dark.length)">
            Search for the fault
          </button>
        </form>
      </template>
      <template v-else-if="faults!.culprit">
        <p class="faded small">{{ faults!.cured ? 'Cured' : 'Culprit' }}, {{ percent(faults!.odds) }} sure</p>
        <h3>{{ faults!.culprit }}</h3>
        <ul class="small">
          <li v-for="t in faults!.to_do" :key="t">{{ t }}</li>
        </ul>
        <FaultEnd
          v-if="active"
          :key="faults!.culprit"
          :culprit="faults!.culprit"
          :module="faults!.culprit_modules[0] ?? ''"
          :names="faults!.culprit_modules"
          :serials="proof.serials"
          :machine="machine"
          :busy="busy"
          @end="act" />
      </template>
      <template v-else-if="faults!.stuck">
        <p class="faded small">No name</p>
        <h3>No boot is left that would tell more.</h3>
        <p class="small">
          What is believed stands beside; nobody is believed enough to be named. Look at processor, board, supply and
          firmware, or end the search with what you found.
        </p>
        <FaultEnd
          v-if="active"
          culprit=""
          module=""
          :names="machine.board.slots.map((s) => s.id).filter((s) => s in faults!.arrangement)"
          :serials="proof.serials"
          :machine="machine"
          :busy="busy"
          @end="act" />
      </template>
      <template v-else-if="trial">
        <p v-if="faults!.clean_boots" class="seems">
          It seems cured: {{ plural(faults!.clean_boots, 'more boot') }} without it, and that is sure enough.
        </p>
        <p class="faded small">Next boot</p>
        <h3>{{ trial.words }}</h3>
        <p class="small faded">
          {{ trial.why[0]?.toUpperCase() }}{{ trial.why.slice(1) }}. About {{ Math.round(trial.minutes) }} minutes until
          it is seen.
        </p>
        <p v-if="left" class="small">{{ left }}</p>
        <div v-if="active" class="results">
          <template v-if="faults!.told">
            <button
              v-for="set in results"
              :key="set.join()"
              type="button"
              class="result"
              :disabled="busy"
              @click="booted(set)">
              {{ set.length ? `${names(set)} not seen` : 'all seen' }}
            </button>
            <button type="button" class="result" :aria-pressed="picking" @click="emit('pick', !picking)">
              something else
            </button>
          </template>
          <template v-else>
            <button type="button" class="result" :disabled="busy" @click="booted([], false)">it does not show</button>
            <button type="button" class="result" :disabled="busy" @click="booted([], true)">it shows</button>
          </template>
        </div>
        <p v-if="active" class="small">
          <button type="button" class="quiet-link" :aria-expanded="lighting" @click="lighting = !lighting">
            A light, a code or a log names a slot
          </button>
        </p>
        <p v-if="active && lighting" class="fields lights">
          <label v-for="s in lightable" :key="s" class="check"
            ><input v-model="lit" type="checkbox" :value="s" /> {{ names([s]) }}</label
          ><span class="small faded"
            >It counts with the answer to this boot: evidence, not proof.<template v-if="faults!.lights">
              {{ faults!.lights[0]!.toUpperCase() + faults!.lights.slice(1) }}.</template
            ></span
          >
        </p>
        <p v-if="picking" class="small">
          Press the slots that it does not see on the board: {{ picked.length ? names(picked) : 'none yet' }}.
          <button type="button" class="quiet-link" :disabled="!picked.length || busy" @click="booted(picked)">
            That is what it showed
          </button>
        </p>
        <p v-if="active" class="small">
          <button type="button" class="quiet-link" :aria-expanded="giving" @click="giving = !giving">
            End the search otherwise
          </button>
        </p>
        <FaultEnd
          v-if="active && giving"
          culprit=""
          module=""
          :names="machine.board.slots.map((s) => s.id).filter((s) => s in faults!.arrangement)"
          :serials="proof.serials"
          :machine="machine"
          :busy="busy"
          @end="act" />
        <p v-if="faults!.trials.length > 1" class="small others">
          Or
          <template v-for="(t, i) in faults!.trials.filter((x) => x !== trial)" :key="t.words"
            ><template v-if="i">, </template
            ><button type="button" class="quiet-link" @click="emit('choose', t)">{{ t.words }}</button>{{ ' ' }}
            <span class="faded">({{ percent(t.tells) }} as good)</span></template
          >
        </p>
      </template>
      <p v-if="wrong" class="wrong small" role="alert">{{ wrong }}</p>
      <details v-if="faults" class="small">
        <summary>Boots so far</summary>
        <ol>
          <li v-for="(b, i) in faults.boots" :key="i">
            {{ clock(b.at, machine.zone) }} {{ b.words }}: <b>{{ b.result }}</b> <span class="faded">{{ b.by }}</span>{{
              ' '
            }}
            <button
              v-if="active && open && b.id"
              type="button"
              class="quiet-link"
              :disabled="busy"
              @click="act({ kind: 'boot-undone', boot: b.id })">
              Take it back
            </button>
          </li>
        </ol>
      </details>
    </div>
  </section>
</template>

<style scoped>
.faults {
  display: grid;
  grid-template-columns: minmax(0, 1fr) minmax(0, 1fr);
  gap: 0 24px;
  padding: 10px 16px 14px;
}
/* Beside the board: the next boot first, then what is believed. */
.narrow {
  grid-template-columns: minmax(0, 1fr);
}
.narrow .next {
  order: -1;
  border: 0;
  padding: 0;
}
.narrow .bars li {
  grid-template-columns: minmax(0, 1.6fr) minmax(0, 1fr) 62px;
  font-size: 14px;
}
.settled {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 14px;
  align-items: baseline;
  padding: 10px 16px;
}
.bars {
  list-style: none;
  margin: 8px 0 0;
  padding: 0;
  display: grid;
  gap: 6px;
}
.bars li {
  display: grid;
  grid-template-columns: minmax(0, 1.3fr) minmax(0, 1fr) 76px;
  gap: 10px;
  align-items: center;
}
.track {
  height: 13px;
  background: var(--rule);
}
.fill {
  display: block;
  height: 100%;
  background: color-mix(in srgb, var(--umber) 50%, var(--sheet));
}
.first .fill {
  background: var(--umber);
}
.first .who {
  font-weight: 650;
}
.bars b {
  white-space: nowrap;
  text-align: right;
  font-size: 14px;
}
.next {
  border-left: 1px solid var(--rule);
  padding-left: 20px;
}
.next p {
  margin: 0 0 6px;
}
h3 {
  font-size: 19px;
  margin-bottom: 4px;
}
.seems {
  padding: 6px 10px;
  border-left: 3px solid var(--go);
  background: var(--lit);
  font-weight: 650;
}
.lights {
  display: flex;
  flex-wrap: wrap;
  gap: 2px 14px;
}
.results {
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
  margin: 8px 0;
}
.result {
  padding: 8px 16px;
  border: 1.5px solid var(--umber);
  border-radius: 4px;
  color: var(--umber);
  font-weight: 600;
  background: var(--sheet);
}
.result[aria-pressed='true'] {
  background: var(--umber);
  color: var(--on-umber);
}
.start {
  display: grid;
  gap: 8px;
  justify-items: start;
  max-width: 340px;
}
.start label {
  width: 100%;
}
ol,
ul {
  margin: 4px 0;
  padding-left: 20px;
}
.bars {
  padding: 0;
}
@media (max-width: 900px) {
  .faults {
    grid-template-columns: minmax(0, 1fr);
  }
  .next {
    border: 0;
    padding: 12px 0 0;
  }
}
</style>
