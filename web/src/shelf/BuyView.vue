<script setup lang="ts">
/** What to buy for plans: in a shop's words, of which offers, for whom; as text to paste and as a table. */
import { computed, ref, shallowRef, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { api, ask, wordsOf, type Brief, type Buying } from '@/api/client'
import { session } from '@/frame/session'
import { gb } from '@/ui/figures'
import SeverityMark from '@/ui/SeverityMark.vue'
import { useTitle } from '@/ui/title'
import { plural } from '@/ui/words'
import BriefOf from '@/stations/BriefOf.vue'
import OfferAxis from './OfferAxis.vue'
import { partPath } from './parts'
import OrderForm from './OrderForm.vue'
import ShelfBeside from './ShelfBeside.vue'
import { besideOf, perGb, takeWords } from './buying'

useTitle(() => 'What to buy')
const route = useRoute()
const router = useRouter()
const buying = shallowRef<Buying>()
const wrong = ref('')
const copied = ref(false)
const ordering = ref(false)
/** Plans named in the address; none = all that lack something. */
const named = computed(() => [route.query.plan ?? []].flat().filter((p): p is string => typeof p === 'string'))
const query = computed(() => named.value.map((p) => `plan=${p}`).join('&'))
let turn = 0
watch(
  named,
  async (plan) => {
    const mine = ++turn
    copied.value = false
    try {
      const found = await ask(api.GET('/api/buying', { params: { query: { plan } } }))
      if (mine === turn) [buying.value, wrong.value] = [found, '']
    } catch (error) {
      if (mine === turn) wrong.value = wordsOf(error)
    }
  },
  { immediate: true },
)
/** Plan -> what would do for it; judged after the lines stand. */
const briefs = shallowRef<ReadonlyMap<string, Brief>>(new Map())
/** They are being judged. */
const judging = ref(false)
watch(buying, async (shown) => {
  judging.value = true
  const plans = [...new Set(shown?.lines.flatMap((l) => l.needs.map((n) => n.plan_id)) ?? [])]
  for (const plan_id of plans) {
    if (buying.value !== shown) return
    try {
      const brief = await ask(api.GET('/api/plans/{plan_id}/brief', { params: { path: { plan_id } } }))
      briefs.value = new Map([...briefs.value, [plan_id, brief]])
    } catch {
      // asked for by hand it says why; the lines stand without it
    }
  }
  judging.value = false
})
const beside = computed(() => new Map(buying.value?.lines.map((l) => [l, besideOf(l, briefs.value)]) ?? []))
function choose(id: string, on: boolean): void {
  const here = buying.value!.plans.filter((p) => (p.id === id ? on : p.chosen)).map((p) => p.id)
  void router.replace({ query: here.length && here.length < buying.value!.plans.length ? { plan: here } : {} })
}
async function copy(): Promise<void> {
  try {
    await navigator.clipboard.writeText(buying.value!.text)
    copied.value = true
  } catch {
    wrong.value = 'This browser does not let a page copy: mark the text and copy it by hand.'
  }
}
const fromShelf = computed(
  () => buying.value?.lines.reduce((n, l) => n + l.from_shelf.reduce((m, t) => m + t.modules, 0), 0) ?? 0,
)
const used = computed(() => {
  const taken = buying.value?.lines.flatMap((l) => l.from_shelf) ?? []
  return new Map(taken.map((t) => [t.part, taken.filter((x) => x.part === t.part).reduce((n, x) => n + x.modules, 0)]))
})
const leftOver = computed(() => buying.value?.lines.reduce((n, l) => n + l.left_over, 0) ?? 0)
const offered = computed(() => buying.value?.lines.filter((l) => !l.missing).length ?? 0)
const machineOf = (plan: string) => buying.value!.plans.find((p) => p.id === plan)?.machine_id ?? ''
/** Names of machines that have several plans here: each plan wants its own. */
const twice = computed(() => {
  const chosen = buying.value?.plans.filter((p) => p.chosen).map((p) => p.machine) ?? []
  return [...new Set(chosen.filter((m, i) => chosen.indexOf(m) !== i))]
})
</script>

<template>
  <div class="page buy">
    <header>
      <h1>What to buy</h1>
      <router-link class="quiet-link" to="/shelf">Shelf</router-link>
      <router-link class="quiet-link" to="/shelf/orders">On order</router-link>
      <router-link class="quiet-link" to="/shelf/parts">Part numbers</router-link>
    </header>
    <p v-if="wrong" class="wrong" role="alert">{{ wrong }}</p>
    <div v-if="buying" class="both">
      <ShelfBeside class="panel" :used="used" />
      <div class="bought">
        <p v-if="!buying.plans.length" class="panel faded none">
          No plan lacks a module: what Fit plans beyond what is fitted stands here.
        </p>
        <template v-else>
          <fieldset class="panel plans">
            <legend>For</legend>
            <label v-for="p in buying.plans" :key="p.id" class="small">
              <input
                type="checkbox"
                :checked="p.chosen"
                @change="choose(p.id, ($event.target as HTMLInputElement).checked)" />
              <router-link class="quiet-link" :to="`/machines/${p.machine_id}/fit`">{{ p.machine }}</router-link>
              {{ p.name }}
              <span class="faded"
                >{{ plural(p.modules, 'module') }}<template v-if="p.ordered">, {{ p.ordered }} on order</template
                ><template v-if="p.handed_on">, {{ p.handed_on }} to come out of other machines</template>,
                {{ p.state }}</span
              >
            </label>
            <p v-if="twice.length" class="small wrong">
              <SeverityMark severity="ask" /> {{ twice.join(', ') }}: several plans of one machine are bought for as if
              each were done.
            </p>
          </fieldset>
          <section class="panel lines" aria-labelledby="buy-lines">
            <div class="caption">
              <h2 id="buy-lines">{{ plural(buying.lines.length, 'line') }}</h2>
              <span class="small faded"
                >the Shelf gives <b>{{ plural(fromShelf, 'module') }}</b>, left over
                <b>{{ leftOver || 'none' }}</b></span
              >
              <button
                v-if="!ordering && session.mayWrite() && buying.lines.some((l) => l.takes.length)"
                type="button"
                class="press slim"
                @click="ordering = true">
                Ordered …
              </button>
            </div>
            <!-- above the lines: what would do for each comes later and must not move what is being pressed -->
            <OrderForm
              v-if="ordering"
              :buying="buying"
              @saved="router.push('/shelf/orders')"
              @leave="ordering = false" />
            <article v-for="l in buying.lines" :key="l.words + l.part" :aria-label="`${l.wanted} of ${l.words}`">
              <div class="many">
                <p>
                  <b class="figure">{{ l.wanted }}</b> × <b>{{ gb(l.module.capacity_gib) }}</b> GB
                </p>
                <p v-for="n in l.needs" :key="n.plan_id" class="small faded">
                  {{ n.count }} {{ n.machine }}, {{ n.plan }}
                </p>
              </div>
              <div class="what">
                <p>
                  <b>{{ l.words }}</b>
                </p>
                <p class="small">
                  <router-link v-if="l.part" class="quiet-link mono" :to="partPath(l.part)">{{
                    l.part
                  }}</router-link><span v-else class="faded">any part of this kind</span>
                </p>
                <p v-for="t in l.from_shelf" :key="t.part" class="small">
                  {{ t.modules }} from the Shelf<template v-if="t.part !== l.part">, {{ t.part }}</template>
                </p>
                <dl v-if="beside.get(l)" class="beside small">
                  <template v-if="beside.get(l)!.asWell.length && !l.part"
                    ><dt>as well</dt>
                    <dd>{{ beside.get(l)!.asWell.join(', ') }}</dd></template
                  >
                  <template v-if="beside.get(l)!.nearly.length"
                    ><dt>nearly right</dt>
                    <dd>
                      <p v-for="v in beside.get(l)!.nearly.slice(0, 2)" :key="v.words">
                        <b>{{ v.words }}</b>: {{ v.comes_to }}
                      </p>
                    </dd></template
                  >
                  <template v-if="beside.get(l)!.wrong.length"
                    ><dt>wrong</dt>
                    <dd>
                      {{
                        beside
                          .get(l)!
                          .wrong.map((v) => v.words)
                          .join('; ')
                      }}
                    </dd></template
                  >
                  <template v-if="beside.get(l)!.open"
                    ><dt>open</dt>
                    <dd>
                      <SeverityMark severity="ask" /> nobody can say yet that it fits:
                      {{ plural(beside.get(l)!.open, 'fact') }} not known
                    </dd></template
                  >
                </dl>
                <!-- about as much as it will take: the lines below hardly move -->
                <p v-else-if="judging" class="judging small faded">What would do as well is looked up.</p>
              </div>
              <div class="offer">
                <div v-for="t in l.takes" :key="t.part + t.supplier" class="take">
                  <b>{{ t.supplier }}</b>
                  <span class="number"
                    ><b>{{ Number(t.price).toFixed(2) }}</b> {{ buying.currency }}</span
                  >
                  <span class="small faded">{{ takeWords(t, l) }}</span>
                  <span class="number small"
                    >{{ perGb(t, l.module.capacity_gib) }},
                    {{ t.lead_days === null ? 'when not told' : plural(t.lead_days, 'day') }}</span
                  >
                </div>
                <p v-if="l.missing" class="small lacking">
                  <SeverityMark severity="ask" /> {{ l.missing }}
                  {{ l.offers.length ? 'more than is offered' : 'that nobody offers' }}
                  <router-link class="quiet-link" to="/shelf">Add an offer</router-link>
                </p>
                <OfferAxis
                  v-if="l.takes.length && l.offers.length > 1"
                  :offers="l.offers"
                  :currency="buying.currency" />
              </div>
              <div class="briefs small">
                <BriefOf
                  v-for="n in l.needs"
                  :key="n.plan_id"
                  :machine-id="machineOf(n.plan_id)"
                  :plan="{ id: n.plan_id, version: 0 }"
                  :of="`${n.machine}, ${n.plan}`" />
              </div>
            </article>
            <p class="sum">
              <span
                ><b>{{ offered }} of {{ plural(buying.lines.length, 'line') }}</b> can be had<template
                  v-if="buying.lead_days !== null"
                  >, {{ buying.missing ? 'what is offered is there' : 'all there' }} after
                  {{ plural(buying.lead_days, 'day') }}</template
                ><template v-if="buying.missing"
                  >; what {{ plural(buying.missing, 'module') }} {{ buying.missing === 1 ? 'costs' : 'cost' }} is not
                  known</template
                ></span
              >
              <b class="figure"
                >{{ Number(buying.cost).toFixed(2) }} <small>{{ buying.currency }}</small></b
              >
            </p>
          </section>
          <section class="panel text" aria-labelledby="buy-text">
            <div class="caption">
              <h2 id="buy-text">Text to paste</h2>
              <span
                ><button type="button" class="quiet-link" @click="copy">Copy</button>&ensp;<a
                  class="quiet-link"
                  :href="`/api/buying/file?${query}`"
                  download
                  >CSV</a
                >&ensp;<a class="quiet-link" :href="`/api/buying/paper?${query}`" target="_blank" rel="noopener">PDF</a
                >{{ ' ' }} <span v-if="copied" class="small faded" role="status">copied</span></span
              >
            </div>
            <pre>{{ buying.text || 'Nothing is to be bought: it is on the Shelf or on order.' }}</pre>
          </section>
        </template>
      </div>
    </div>
  </div>
</template>

<style scoped>
header {
  display: flex;
  gap: 18px;
  align-items: baseline;
}
p {
  margin: 0;
}
.plans {
  border: 0;
  margin: 0;
  padding: 8px 16px 12px;
  display: flex;
  flex-wrap: wrap;
  gap: 4px 22px;
}
legend {
  color: var(--faded);
  font-size: 13px;
}
.lines,
.text,
.none {
  padding: 10px 16px 14px;
}
.caption {
  display: flex;
  justify-content: space-between;
  align-items: baseline;
  gap: 12px;
}
.judging {
  min-height: 80px;
}
.beside {
  display: grid;
  grid-template-columns: 84px minmax(0, 1fr);
  gap: 1px 8px;
  margin: 4px 0 0;
}
.beside dt {
  color: var(--faded);
}
.beside dd {
  margin: 0;
}
article {
  display: grid;
  grid-template-columns: 150px minmax(0, 1fr) minmax(0, 320px);
  gap: 6px 20px;
  border-top: 1px solid var(--rule);
  padding: 10px 0;
}
.figure {
  font-size: 22px;
  font-variant-numeric: tabular-nums;
}
.take {
  display: grid;
  grid-template-columns: minmax(0, 1fr) auto;
  gap: 0 12px;
  align-items: baseline;
}
.number {
  text-align: right;
  font-variant-numeric: tabular-nums;
}
.sum {
  display: flex;
  justify-content: space-between;
  align-items: baseline;
  border-top: 2px solid var(--ink);
  padding-top: 8px;
}
pre {
  margin: 6px 0 0;
  white-space: pre-wrap;
}
.both {
  display: grid;
  grid-template-columns: 264px minmax(0, 1fr);
  align-items: start;
}
@media (max-width: 1100px) {
  .both {
    grid-template-columns: minmax(0, 1fr);
  }
  .both > aside {
    order: 2;
  }
}
@media (max-width: 900px) {
  article {
    grid-template-columns: minmax(0, 1fr);
  }
}
.briefs {
  grid-column: 1 / -1;
  display: grid;
  gap: 2px;
}
</style>
