<script setup lang="ts">
/** Machines that are kept before any sheet knows their model, by model: one sheet makes them all. */
import { computed, reactive, ref, shallowRef } from 'vue'
import { api, ask, faultsOf, type WaitingGroup } from '@/api/client'
import { health } from '@/api/health'
import { session } from '@/frame/session'
import { useLoaded } from '@/frame/live'
import { usePart } from '@/ui/together'
import { plural } from '@/ui/words'

const emit = defineEmits<{ made: [] }>()
const known = usePart()
const groups = shallowRef<WaitingGroup[]>([])
const wrong = ref('')
const told = ref('')
const busy = ref(false)

/** Groups whose machines are all named; the others tell a few. */
const whole = reactive(new Set<string>())
const FEW = 8
const shownOf = (g: WaitingGroup) =>
  g.machines.length <= FEW + 2 || whole.has(g.machines[0]!.id) ? g.machines : g.machines.slice(0, FEW)
/** Groups beyond these are shown at a press. */
const FEW_GROUPS = 6
const all = ref(false)
const shown = computed(() =>
  all.value || groups.value.length <= FEW_GROUPS + 1 ? groups.value : groups.value.slice(0, FEW_GROUPS),
)

async function load(): Promise<void> {
  try {
    groups.value = await ask(api.GET('/api/waiting'))
  } catch (error) {
    wrong.value = faultsOf(error)
  } finally {
    known()
  }
}
useLoaded(() => null, load)

async function make(g: WaitingGroup): Promise<void> {
  busy.value = true
  wrong.value = told.value = ''
  try {
    const settled = await ask(
      api.POST('/api/waiting/settled', { body: { machines: g.machines.map((m) => m.id), sheet_hash: g.sheet! } }),
    )
    const [made, not] = [settled.filter((s) => s.machine_id), settled.filter((s) => !s.machine_id)]
    // What is made waits no more, whatever the list says until it is asked for anew: a press on its old line would lead astray.
    const gone = new Set(made.map((s) => s.name))
    groups.value = groups.value
      .map((x) => ({ ...x, machines: x.machines.filter((m) => !gone.has(m.name)) }))
      .filter((x) => x.machines.length)
    const unplaced = made.filter((s) => s.unplaced)
    told.value = [
      `${plural(made.length, 'machine')} made as ${g.sheet_title}`,
      ...made
        .filter((s) => s.unread.length)
        .map(
          (s) =>
            `what the table says of ${s.unread.join(', ')} means nothing there, and is kept with ${s.name} as columns of its own`,
        ),
      unplaced.length &&
        `in ${unplaced.map((s) => s.name).join(', ')} reports are left whose slot their names do not tell: see Survey`,
    ]
      .filter(Boolean)
      .join('; ')
    wrong.value = not.map((s) => `${s.name}: ${s.refused}`).join(' ')
    emit('made')
  } catch (error) {
    wrong.value = faultsOf(error)
  } finally {
    busy.value = false
    await load()
  }
}
async function forget(key: string): Promise<void> {
  try {
    await ask(api.DELETE('/api/waiting/{waiting_id}', { params: { path: { waiting_id: key } } }))
    await load()
  } catch (error) {
    wrong.value = faultsOf(error)
  }
}
</script>

<template>
  <section
    v-if="groups.length || told || (wrong && !health.trouble)"
    class="panel waiting small"
    aria-label="Machines that wait for a sheet">
    <p v-if="told" role="status">{{ told }}.</p>
    <p v-if="wrong && !health.trouble" class="wrong" role="alert">{{ wrong }}</p>
    <ul v-if="groups.length">
      <li v-for="g in shown" :key="g.machines[0]!.id">
        <b>{{ g.model || 'model not known' }}</b>
        <span class="faded"
          >{{ plural(g.machines.length, 'machine') }} {{ g.machines.length === 1 ? 'waits' : 'wait' }} for its
          sheet:</span
        >
        <span v-for="m in shownOf(g)" :key="m.id" class="one">
          <router-link
            v-if="session.mayWrite()"
            class="quiet-link"
            :to="{ path: '/machines/new', query: { waiting: m.id } }"
            >{{ m.name }}</router-link><template v-else>{{ m.name }}</template>
          <template v-for="t in g.there.filter((x) => x.waiting_id === m.id)" :key="t.machine_id">
            <span class="twin"
              >has the {{ t.field === 'serial' ? 'serial number' : 'asset tag' }} of
              <router-link class="quiet-link" :to="`/machines/${t.machine_id}`">{{ t.name }}</router-link></span
            ></template
          >
          <button
            v-if="session.mayWrite()"
            type="button"
            class="quiet-link forget"
            :aria-label="`Forget ${m.name}`"
            @click="forget(m.id)">
            &times;
          </button>
        </span>
        <button
          v-if="shownOf(g).length < g.machines.length"
          type="button"
          class="quiet-link"
          @click="whole.add(g.machines[0]!.id)">
          and {{ g.machines.length - shownOf(g).length }} more
        </button>
        <button v-if="g.sheet && session.mayWrite()" type="button" class="press slim" :disabled="busy" @click="make(g)">
          Make {{ g.machines.length === 1 ? 'it' : `all ${g.machines.length}` }} as {{ g.sheet_title }}
        </button>
        <router-link
          v-else-if="session.mayWrite()"
          class="quiet-link"
          :to="{ path: '/machines/new', query: { waiting: g.machines[0]!.id } }"
          >Build its board</router-link
        >
      </li>
      <li v-if="shown.length < groups.length">
        <button type="button" class="quiet-link" @click="all = true">
          and {{ groups.length - shown.length }} more models that wait for their sheet
        </button>
      </li>
    </ul>
  </section>
</template>

<style scoped>
.waiting {
  padding: 6px 20px 8px 40px;
}
p {
  margin: 2px 0;
}
ul {
  list-style: none;
  margin: 0;
  padding: 0;
  display: grid;
  gap: 4px;
}
li {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 10px;
  align-items: center;
}
.one {
  white-space: nowrap;
}
.twin {
  color: var(--slow);
}
.forget {
  min-width: 24px;
  font-weight: 400;
}
</style>
