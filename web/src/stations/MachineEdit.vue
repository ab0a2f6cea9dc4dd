<script setup lang="ts">
/** What is particular to one machine, to change: names, versions, width, mode, processors; and to retire it. */
import { computed, reactive, ref } from 'vue'
import { api, ask, Refusal, wordsOf, type MachineView } from '@/api/client'

const props = defineProps<{ machine: MachineView }>()
const emit = defineEmits<{ saved: [machine: MachineView]; leave: [] }>()

const m = props.machine
const base = reactive({ name: m.name, place: m.place, site: m.site ?? '', zone: m.zone, duty_group: m.duty_group, keeper: m.keeper, serial: m.serial, warranty_end: m.warranty_end ?? '' })
const facts = reactive({
  firmware: m.facts.firmware ?? '',
  system: m.facts.system ?? '',
  os_bits: m.facts.os_bits ? String(m.facts.os_bits) : '',
  os_cap_gib: m.facts.os_cap_gib ? String(m.facts.os_cap_gib) : '',
  device_hole_mib: m.facts.device_hole_mib ? String(m.facts.device_hole_mib) : '',
  mode: m.facts.mode ?? '',
  rail_setting: m.facts.rail_setting ? String(m.facts.rail_setting) : '',
})
/** Socket -> processor id, "" = not known, "-" = empty. */
const processors = reactive(Object.fromEntries(Object.keys(m.may_hold).map((s) => [s, s in m.facts.processors ? (m.facts.processors[s] ?? '-') : ''])))
const wrong = ref('')
const version = ref(m.version)
const theirs = ref<MachineView | null>(null)
const asking = ref(false)

const number = (text: string) => (text.trim() ? Number(text.replace(',', '.')) : null)
const body = computed(() => ({
  version: version.value,
  ...base,
  warranty_end: base.warranty_end || null,
  facts: {
    firmware: facts.firmware.trim() || null,
    system: facts.system.trim() || null,
    os_bits: (facts.os_bits ? Number(facts.os_bits) : null) as 32 | 64 | null,
    os_cap_gib: number(facts.os_cap_gib),
    device_hole_mib: number(facts.device_hole_mib),
    mode: facts.mode || null,
    rail_setting: number(facts.rail_setting),
    processors: Object.fromEntries(Object.entries(processors).filter(([, p]) => p).map(([s, p]) => [s, p === '-' ? null : p])),
  },
}))

async function run(work: () => Promise<MachineView>): Promise<void> {
  wrong.value = ''
  try {
    emit('saved', await work())
  } catch (error) {
    if (error instanceof Refusal && error.status === 409) {
      theirs.value = error.problem.theirs as MachineView
      version.value = theirs.value.version
      wrong.value = `${error.problem.detail} It is called “${theirs.value.name}” at “${theirs.value.place}” now. Save again to put yours over it.`
    } else wrong.value = wordsOf(error)
  }
}
const params = { path: { machine_id: m.id } }
const save = () => run(() => ask(api.PATCH('/api/machines/{machine_id}', { params, body: body.value })))
function retire(): void {
  if (!m.retired_at && !asking.value) {
    asking.value = true
    return
  }
  void run(() => ask(api.POST('/api/machines/{machine_id}/retirement', { params, body: { version: version.value, retired: !m.retired_at } })))
}
</script>

<template>
  <v-dialog :model-value="true" max-width="640" aria-labelledby="edit-title" @update:model-value="$emit('leave')">
    <form class="panel dialog" @submit.prevent="save">
      <h2 id="edit-title">{{ machine.name }}</h2>
      <div class="fields">
        <label>Name <input v-model="base.name" required maxlength="120" /></label>
        <label>Duty group <input v-model="base.duty_group" maxlength="200" placeholder="none" /></label>
        <label>Site <input v-model="base.site" maxlength="200" /></label>
        <label>Time zone <input v-model="base.zone" maxlength="120" class="mono" /></label>
        <label class="wide">Place <input v-model="base.place" maxlength="200" /></label>
        <label>Looked after by <input v-model="base.keeper" maxlength="200" placeholder="nobody named" /></label>
        <label>Warranty until <input v-model="base.warranty_end" type="date" /></label>
        <label class="wide">Serial number <input v-model="base.serial" maxlength="200" class="mono" placeholder="not known" /></label>
        <label>Firmware <input v-model="facts.firmware" maxlength="120" placeholder="not known" /></label>
        <label>System version <input v-model="facts.system" maxlength="120" placeholder="not known" /></label>
        <label>
          System width
          <select v-model="facts.os_bits">
            <option value="">not known</option>
            <option value="64">64 bits</option>
            <option value="32">32 bits</option>
          </select>
        </label>
        <label v-if="facts.os_bits === '32'">It can use [GB] <input v-model="facts.os_cap_gib" inputmode="decimal" placeholder="4" /></label>
        <label>Hole below 4 GB [MiB] <input v-model="facts.device_hole_mib" inputmode="decimal" placeholder="not known" /></label>
        <label>Rail set to [V] <input v-model="facts.rail_setting" inputmode="decimal" placeholder="not known" /></label>
        <label v-if="machine.modes.length">
          Mode
          <select v-model="facts.mode">
            <option value="">independent</option>
            <option v-for="mode in machine.modes" :key="mode" :value="mode">{{ mode }}</option>
          </select>
        </label>
        <label v-for="(choices, socket) in machine.may_hold" :key="socket">
          Processor in {{ socket }}
          <select v-model="processors[socket]">
            <option value="">not known</option>
            <option v-for="p in choices" :key="p" :value="p">{{ p }}</option>
            <option v-if="machine.may_be_bare.includes(String(socket))" value="-">none</option>
          </select>
        </label>
      </div>
      <p v-if="wrong" class="wrong" role="alert">{{ wrong }}</p>
      <div class="choices">
        <button type="button" class="quiet-link" @click="retire">
          {{ machine.retired_at ? 'Bring it back' : asking ? 'Really retire it; nothing is lost' : 'Retire this machine' }}
        </button>
        <v-btn variant="outlined" color="primary" @click="$emit('leave')">Leave it</v-btn>
        <v-btn type="submit" color="primary">Save</v-btn>
      </div>
    </form>
  </v-dialog>
</template>

<style scoped>
.dialog {
  padding: 20px 24px;
}
.fields {
  display: grid;
  grid-template-columns: repeat(2, minmax(0, 1fr));
  gap: 10px 16px;
  margin-top: 12px;
}
.wide {
  grid-column: 1 / 3;
}
.choices {
  display: flex;
  justify-content: flex-end;
  align-items: center;
  gap: 10px;
  margin-top: 16px;
}
.choices .quiet-link {
  margin-right: auto;
}
</style>
