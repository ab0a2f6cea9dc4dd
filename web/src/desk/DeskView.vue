<script setup lang="ts">
/** What wants somebody now, each leading there; this week's windows; trouble predicted beside what was met. */
import { computed, ref, shallowRef } from 'vue'
import { api, ask, wordsOf, type Desk } from '@/api/client'
import { useLoaded } from '@/frame/live'
import SeverityMark from '@/ui/SeverityMark.vue'
import { useTitle } from '@/ui/title'
import { plural } from '@/ui/words'
import CalendarFeed from './CalendarFeed.vue'
import FirstMachine from './FirstMachine.vue'
import TroubleChart from './TroubleChart.vue'
import WeekTable from './WeekTable.vue'
import { order, SECTIONS, since, type Order, type Whose } from './words'

useTitle(() => 'Desk')
const desk = shallowRef<Desk>()
const wrong = ref('')
const whose = ref<Whose>('all')
const by = ref<Order>('worst')
useLoaded(
  () => 0,
  async () => {
    try {
      desk.value = await ask(api.GET('/api/desk'))
      wrong.value = ''
    } catch (error) {
      wrong.value = wordsOf(error)
    }
  },
)
const total = computed(() => Object.values(desk.value?.counts ?? {}).reduce((n, m) => n + m, 0))
const nobodys = computed(() => desk.value?.items.filter((i) => !i.who).length ?? 0)
/** By person, whoever did something last first. */
const people = computed(() => {
  const found = new Map<string, Desk['work']>()
  for (const w of desk.value?.work ?? []) found.set(w.who, [...(found.get(w.who) ?? []), w])
  return [...found].map(([who, work]) => ({ who, work }))
})
const groups = computed(() => (desk.value ? order(desk.value.items, whose.value, by.value) : []))
const today = new Intl.DateTimeFormat('en-GB', { weekday: 'long', day: 'numeric', month: 'long' }).format(new Date())
</script>

<template>
  <div class="page desk">
    <header>
      <h1>Desk</h1>
      <span class="faded">{{ today }}</span>
    </header>
    <p v-if="wrong" class="wrong" role="alert">{{ wrong }}</p>
    <FirstMachine v-if="desk?.is_new" />
    <div v-else-if="desk" class="both">
      <section aria-label="What wants somebody">
        <p class="filters">
          <b>{{ total }}</b> {{ total === 1 ? 'wants' : 'want' }} somebody, <b>{{ desk.mine }}</b>
          {{ desk.mine === 1 ? 'wants' : 'want' }} you
          <span role="group" aria-label="Whose">
            <button
              v-for="w in ['all', 'mine', 'nobody’s'] as const"
              :key="w"
              type="button"
              :aria-pressed="whose === w"
              @click="whose = w">
              {{ w }}{{ w === 'nobody’s' ? ` ${nobodys}` : '' }}
            </button>
          </span>
          <span role="group" aria-label="Order">
            <button type="button" :aria-pressed="by === 'worst'" @click="by = 'worst'">worst first</button>
            <button type="button" :aria-pressed="by === 'longest'" @click="by = 'longest'">longest first</button>
          </span>
        </p>
        <p v-if="!groups.length" class="faded none">
          {{ whose === 'all' ? 'Nothing wants anybody.' : 'Nothing of that kind.' }}
        </p>
        <template v-for="g in groups" :key="g.section ?? ''">
          <h2 class="caption">
            {{ g.section ? SECTIONS[g.section] : 'the longest first' }}
            <span class="faded"
              >{{ g.items.length
              }}<template v-if="g.section && whose === 'all' && desk.counts[g.section]! > g.items.length">
                of {{ desk.counts[g.section] }}</template
              ></span
            >
          </h2>
          <ul>
            <li v-for="(i, n) in g.items" :key="n">
              <SeverityMark :severity="i.severity as 'stop'" />
              <span class="what"
                ><b>{{ i.what }}</b
                ><span class="small faded">{{ i.where }}</span></span
              >
              <span class="words">{{ i.words }}</span>
              <span class="small who" :class="{ nobody: !i.who && !i.mine }">{{
                i.mine && i.who ? 'you' : i.who || (i.mine ? 'you' : 'nobody yet')
              }}</span>
              <span class="small when">{{ since(i) }}</span>
              <router-link class="quiet-link act" :to="i.path" :aria-label="`${i.act}: ${i.what}`">{{
                i.act
              }}</router-link>
            </li>
          </ul>
        </template>
      </section>
      <aside>
        <WeekTable :desk="desk" />
        <section v-if="people.length" aria-label="Who is on what" class="side">
          <h2>Who is on what <span class="small faded">in the last days</span></h2>
          <p v-for="p in people" :key="p.who" class="small on">
            <b>{{ p.who }}</b><span
              ><template v-for="(w, i) in p.work" :key="w.path"
                ><template v-if="i">; </template><router-link class="quiet-link" :to="w.path">{{ w.what }}</router-link>
                {{ w.words }} <span class="faded">{{ since({ since: w.at, due: null } as never) }} ago</span></template
              ></span
            >
          </p>
        </section>
        <section aria-label="Trouble, predicted and met" class="side">
          <h2>Trouble, predicted and met</h2>
          <p v-if="desk.counted">
            <b class="large">{{ desk.met }}</b> met, <b class="large">{{ desk.predicted }}</b> predicted
            <span class="faded"
              >in {{ plural(desk.counted, 'approved plan') }} that ended<template
                v-if="desk.brier !== null && desk.brier !== undefined"
                >; Brier {{ desk.brier.toFixed(3) }}</template
              ></span
            >
          </p>
          <p v-else class="faded">No plan that a lead approved has ended yet.</p>
          <TroubleChart :bands="desk.bands" />
          <router-link class="quiet-link small" to="/notes">By how much each was off</router-link>
        </section>
        <section aria-label="Money" class="side">
          <h2>Money since {{ desk.money.since }}</h2>
          <p>
            ordered
            <template v-for="(s, i) in desk.money.ordered" :key="s.currency"
              ><template v-if="i"> and </template><b class="large">{{ Number(s.amount).toFixed(2) }}</b>
              {{ s.currency }}</template
            ><template v-if="!desk.money.ordered.length">nothing</template>{{ ' ' }}
            <router-link class="quiet-link small" to="/shelf/orders">Orders</router-link>
          </p>
          <p v-if="desk.money.saved">
            <b class="large">{{ Math.abs(Number(desk.money.saved.amount)).toFixed(2) }}</b>
            {{ desk.money.saved.currency }} {{ Number(desk.money.saved.amount) < 0 ? 'more' : 'less' }} than the maker’s
            own parts
            <span class="faded"
              >in {{ desk.money.saved_of }} of {{ plural(desk.money.ended, 'approved plan') }} that ended</span
            >
          </p>
          <p v-else-if="desk.money.ended" class="faded small">
            What the maker’s own parts would have cost is known of none of
            {{ plural(desk.money.ended, 'approved plan') }} that ended.
          </p>
          <p>
            <a class="quiet-link small" href="/api/desk/report" target="_blank" rel="noopener"
              >One page for a manager, of 90 days (PDF)</a
            >
          </p>
        </section>
        <CalendarFeed />
      </aside>
    </div>
  </div>
</template>

<style scoped>
header {
  display: flex;
  gap: 16px;
  align-items: baseline;
}
p {
  margin: 0;
}
.both {
  display: grid;
  grid-template-columns: minmax(0, 1.75fr) minmax(300px, 1fr);
}
.both > section {
  padding: 8px 16px 16px;
  border-right: 1px solid var(--rule);
}
.filters {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 10px;
  align-items: baseline;
  padding-bottom: 4px;
}
.filters [role='group'] {
  display: flex;
  gap: 10px;
  padding-left: 10px;
  border-left: 1px solid var(--rule);
}
.filters button {
  color: var(--umber);
}
.filters button[aria-pressed='true'] {
  color: var(--ink);
  font-weight: 650;
  box-shadow: 0 2px 0 var(--umber);
}
.caption {
  margin-top: 10px;
  padding-bottom: 3px;
  border-bottom: 1px solid var(--rule);
  font-size: 13px;
}
ul {
  list-style: none;
  margin: 0;
  padding: 0;
}
li {
  display: grid;
  grid-template-columns: 16px minmax(90px, 0.5fr) minmax(0, 2fr) minmax(70px, 0.42fr) 76px 68px;
  gap: 2px 10px;
  align-items: center;
  padding: 5px 0;
  border-bottom: 1px solid var(--rule);
}
.what {
  display: grid;
  line-height: 1.15;
}
.words {
  line-height: 1.25;
  overflow-wrap: anywhere;
}
.nobody {
  color: var(--stop);
  font-weight: 600;
}
.when,
.act {
  text-align: right;
}
aside {
  display: grid;
  align-content: start;
  gap: 14px;
  padding: 8px 16px 16px;
}
.side {
  display: grid;
  gap: 4px;
  padding-top: 10px;
  border-top: 1px solid var(--rule);
}
.large {
  font-size: 20px;
}
@media (max-width: 1100px) {
  .both {
    grid-template-columns: minmax(0, 1fr);
  }
}
@media (max-width: 700px) {
  li {
    grid-template-columns: 16px minmax(0, 1fr) auto;
  }
  .words {
    grid-row: 2;
    grid-column: 2 / -1;
  }
  .who {
    grid-row: 3;
    grid-column: 2;
  }
  .when {
    grid-row: 3;
    grid-column: 3;
  }
  .act {
    grid-row: 1;
    grid-column: 3;
    display: inline-flex;
    align-items: center;
    justify-content: flex-end;
    min-height: 44px;
    min-width: 44px;
  }
  .filters button,
  .side a {
    min-height: 44px;
    min-width: 44px;
    display: inline-flex;
    align-items: center;
    justify-content: center;
  }
}
.on {
  display: grid;
  grid-template-columns: 90px minmax(0, 1fr);
  gap: 8px;
}
</style>
