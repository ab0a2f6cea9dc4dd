<script setup lang="ts">
/** What can be done to the machines that are chosen, all together: what is said of them, their sheet, asked, retired. */
import { computed, defineAsyncComponent, reactive, ref } from 'vue'
import { useRouter } from 'vue-router'
import { api, ask, faultsOf, type Job, type MachineView } from '@/api/client'
import { plural } from '@/ui/words'
import { ABOUT, type AboutName } from './about'

const MergeDialog = defineAsyncComponent(() => import('./MergeDialog.vue'))

type Found = { q: string; want: 'stop' | 'ask' | 'risk' | 'failed' | null; retired: boolean }
type Change = { do: 'say'; site?: string } | { do: 'renew' } | { do: 'retire' | 'bring back' }
/** Id -> name. */
const props = defineProps<{ chosen: Map<string, string>; found: Found; total: number }>()
const emit = defineEmits<{ leave: []; changed: [] }>()
const all = defineModel<boolean>('all', { required: true })
const router = useRouter()
const count = computed(() => (all.value ? props.total : props.chosen.size))
const wrong = ref('')
const busy = ref(false)
const saying = ref(false)
const asking = ref(false)
const twins = ref<MachineView[]>([])
/** What one serial number or tag cannot be for many. */
const FIELDS = ABOUT.filter((f) => !['serial', 'other_serials', 'asset_tag'].includes(f.name))
const said = reactive<Record<string, string>>({ site: '' })

async function start(work: () => Promise<Job>): Promise<void> {
  busy.value = true
  wrong.value = ''
  try {
    const job = await work()
    await router.push({ path: '/machines/many', query: { job: job.id } })
  } catch (error) {
    wrong.value = faultsOf(error)
  } finally {
    busy.value = false
  }
}
const which = () => (all.value ? { found: props.found } : { machines: [...props.chosen.keys()] })
const change = (change: Change) =>
  start(() => ask(api.POST('/api/jobs/changes', { body: { change: change as never, ...which() } })))
const poll = () => start(() => ask(api.POST('/api/jobs/pollings', { body: { machines: [...props.chosen.keys()] } })))
async function say(): Promise<void> {
  const told = Object.fromEntries(Object.entries(said).filter(([, v]) => v.trim()))
  if (!Object.keys(told).length) wrong.value = 'Say something of them first: what is left empty stays as it is.'
  else await change({ do: 'say', ...(told as Partial<Record<AboutName, string>>) })
}
async function together(): Promise<void> {
  try {
    twins.value = await Promise.all(
      [...props.chosen.keys()].map((id) =>
        ask(api.GET('/api/machines/{machine_id}', { params: { path: { machine_id: id } } })),
      ),
    )
  } catch (error) {
    wrong.value = faultsOf(error)
  }
}
function merged(): void {
  twins.value = []
  emit('changed')
  emit('leave')
}
</script>

<template>
  <section class="panel bar small" aria-label="The chosen machines">
    <div class="line">
      <b role="status">{{ plural(count, 'machine') }} chosen</b>
      <button v-if="!all && chosen.size < total" type="button" class="quiet-link" @click="all = true">
        Choose all {{ total }} that the list finds
      </button>
      <button v-if="all" type="button" class="quiet-link" @click="all = false">Only those I choose</button>
      <template v-if="count">
        <button type="button" class="quiet-link" :aria-expanded="saying" @click="saying = !saying">
          Say something of them
        </button>
        <button type="button" class="quiet-link" :disabled="busy" @click="change({ do: 'renew' })">
          Newest revision of their sheet
        </button>
        <button v-if="!all" type="button" class="quiet-link" :disabled="busy" @click="poll">Ask them again</button>
        <button v-if="!all && chosen.size === 2" type="button" class="quiet-link" @click="together">
          They are one machine
        </button>
        <button
          v-if="found.retired"
          type="button"
          class="quiet-link"
          :disabled="busy"
          @click="change({ do: 'bring back' })">
          Bring them back
        </button>
        <button
          v-else
          type="button"
          class="quiet-link"
          :disabled="busy"
          @click="asking ? change({ do: 'retire' }) : (asking = true)">
          {{ asking ? `Really retire ${count}; nothing is lost` : 'Retire them' }}
        </button>
      </template>
      <span v-else class="faded">Choose lines below, or all of them.</span>
      <button type="button" class="quiet-link end" @click="$emit('leave')">Cancel</button>
    </div>
    <form v-if="saying && count" class="fields" @submit.prevent="say">
      <label>Site <input v-model="said.site" maxlength="200" placeholder="as it is" /></label>
      <label v-for="f in FIELDS" :key="f.name"
        >{{ f.words }} <input v-model="said[f.name]" :type="f.type ?? 'text'" maxlength="200" placeholder="as it is"
      /></label>
      <button class="press slim" type="submit" :disabled="busy">Say it of {{ plural(count, 'machine') }}</button>
    </form>
    <p v-if="wrong" class="wrong" role="alert">{{ wrong }}</p>
    <MergeDialog
      v-if="twins.length === 2"
      :machines="twins.map((m) => ({ id: m.id, name: m.name, version: m.version, sheet_title: m.sheet_title }))"
      @merged="merged"
      @leave="twins = []" />
  </section>
</template>

<style scoped>
.bar {
  padding: 8px 20px 8px 40px;
  position: sticky;
  top: 0;
  z-index: 3;
}
.line,
.fields {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 4px 18px;
}
.fields {
  align-items: end;
  margin-top: 8px;
}
.fields label {
  display: grid;
}
.end {
  margin-left: auto;
}
p {
  margin: 4px 0 0;
}
</style>
