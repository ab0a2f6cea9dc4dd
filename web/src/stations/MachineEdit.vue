<script setup lang="ts">
/** What is particular to one machine, to change: names, versions, width, mode, processors; and to retire it. */
import { reactive, ref } from 'vue'
import { useRouter } from 'vue-router'
import { api, ask, faultsOf, Refusal, type MachineView } from '@/api/client'
import AboutFields from '@/machines/AboutFields.vue'
import OwnColumns from '@/machines/OwnColumns.vue'
import { aboutAsSent, aboutAsTyped } from '@/machines/about'
import FieldFault from '@/ui/FieldFault.vue'
import { numbersIn, useForm } from '@/ui/form'
import { plural } from '@/ui/words'

const props = defineProps<{ machine: MachineView }>()
const emit = defineEmits<{ saved: [machine: MachineView]; leave: []; remodel: [] }>()

const router = useRouter()
const m = props.machine
/** Socket -> processor id, "" = not known, "-" = empty. */
const processors = reactive(
  Object.fromEntries(
    Object.keys(m.may_hold).map((s) => [s, s in m.facts.processors ? (m.facts.processors[s] ?? '-') : '']),
  ),
)
const about = reactive(aboutAsTyped(m.about))
const own = ref(Object.entries(m.about.own ?? {}).map(([name, value]) => ({ name, value })))
const version = ref(m.version)
const asking = ref(false)
const retiring = ref(false)
const params = { path: { machine_id: m.id } }

const {
  values: form,
  faults,
  wrong,
  sending,
  submit: save,
} = useForm(
  {
    name: m.name,
    site: m.site ?? '',
    zone: m.zone,
    firmware: m.facts.firmware ?? '',
    system: m.facts.system ?? '',
    os_bits: m.facts.os_bits ? String(m.facts.os_bits) : '',
    os_cap_gib: m.facts.os_cap_gib ? String(m.facts.os_cap_gib) : '',
    device_hole_mib: m.facts.device_hole_mib ? String(m.facts.device_hole_mib) : '',
    mode: m.facts.mode ?? '',
    rail_setting: m.facts.rail_setting ? String(m.facts.rail_setting) : '',
  },
  async (f) => {
    const { firmware, system, os_bits, os_cap_gib, device_hole_mib, mode, rail_setting, ...base } = f
    const said = numbersIn({ os_cap_gib, device_hole_mib, rail_setting })
    const facts = {
      firmware: firmware.trim() || null,
      system: system.trim() || null,
      os_bits: (os_bits ? Number(os_bits) : null) as 32 | 64 | null,
      ...said,
      mode: mode || null,
      processors: Object.fromEntries(
        Object.entries(processors)
          .filter(([, p]) => p)
          .map(([s, p]) => [s, p === '-' ? null : p]),
      ),
    }
    const change = { version: version.value, ...base, ...aboutAsSent(about), own: ownAsSent(), facts }
    await keep(() =>
      retiring.value
        ? ask(
            api.POST('/api/machines/{machine_id}/retirement', {
              params,
              body: { version: version.value, retired: !m.retired_at },
            }),
          )
        : ask(api.PATCH('/api/machines/{machine_id}', { params, body: change })),
    )
  },
)

const ownAsSent = () =>
  Object.fromEntries(
    own.value.map((r) => [r.name.trim().toLowerCase(), r.value.trim()]).filter(([name, value]) => name && value),
  )
/** Somebody else's change is shown, and put over only when saved again. */
async function keep(work: () => Promise<MachineView>): Promise<void> {
  try {
    emit('saved', await work())
  } catch (error) {
    if (!(error instanceof Refusal) || error.status !== 409) throw error
    const theirs = error.problem.theirs as MachineView
    version.value = theirs.version
    throw new Error(
      `${error.problem.detail} It is called “${theirs.name}” at “${theirs.about.place}” now. Save again to put yours over it.`,
      { cause: error },
    )
  }
}
/** Made by mistake: it goes for good. */
const erasing = ref(false)
async function erase(): Promise<void> {
  if (!erasing.value) {
    erasing.value = true
    return
  }
  try {
    await ask(api.DELETE('/api/machines/{machine_id}', { params: { ...params, query: { version: version.value } } }))
    await router.push('/machines')
  } catch (error) {
    wrong.value = faultsOf(error)
  }
}
function retire(): void {
  if (!m.retired_at && !asking.value) {
    asking.value = true
    return
  }
  retiring.value = true
  void save().finally(() => (retiring.value = false))
}
</script>

<template>
  <v-dialog :model-value="true" max-width="640" aria-labelledby="edit-title" @update:model-value="$emit('leave')">
    <form class="panel dialog" @submit.prevent="save">
      <h2 id="edit-title">{{ machine.name }}</h2>
      <div class="fields">
        <label
          >Name <input v-model="form.name" required maxlength="120" /><FieldFault :of="faults" name="name"
        /></label>
        <label>Site <input v-model="form.site" maxlength="200" /></label>
        <label
          >Time zone <input v-model="form.zone" maxlength="120" class="mono" /><FieldFault :of="faults" name="zone"
        /></label>
        <AboutFields v-model="about" :faults="faults" />
        <label>Firmware <input v-model="form.firmware" maxlength="120" placeholder="not known" /></label>
        <label>System version <input v-model="form.system" maxlength="120" placeholder="not known" /></label>
        <label>
          System width
          <select v-model="form.os_bits">
            <option value="">not known</option>
            <option value="64">64 bits</option>
            <option value="32">32 bits</option>
          </select>
        </label>
        <label v-if="form.os_bits === '32'"
          >It can use [GB] <input v-model="form.os_cap_gib" inputmode="decimal" placeholder="4" /><FieldFault
            :of="faults"
            name="os_cap_gib"
        /></label>
        <label
          >Hole below 4 GB [MiB]
          <input v-model="form.device_hole_mib" inputmode="decimal" placeholder="not known" /><FieldFault
            :of="faults"
            name="device_hole_mib"
        /></label>
        <label
          >Rail set to [V] <input v-model="form.rail_setting" inputmode="decimal" placeholder="not known" /><FieldFault
            :of="faults"
            name="rail_setting"
        /></label>
        <label v-if="machine.modes.length">
          Mode
          <select v-model="form.mode">
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
        <OwnColumns v-model="own" :faults="faults" />
      </div>
      <p v-if="wrong" class="wrong" role="alert">{{ wrong }}</p>
      <div class="choices">
        <button type="button" class="quiet-link" @click="retire">
          {{
            machine.retired_at ? 'Bring it back' : asking ? 'Really retire it; nothing is lost' : 'Retire this machine'
          }}
        </button>
        <button type="button" class="quiet-link" @click="erase">
          {{ erasing ? `Really delete it, with its surveys and ${plural(machine.plans.length, 'plan')}` : 'Delete it' }}
        </button>
        <button type="button" class="quiet-link" @click="$emit('remodel')">It is another model</button>
        <button type="button" class="press quiet" @click="$emit('leave')">Cancel</button>
        <button class="press" type="submit" :disabled="sending">Save</button>
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
  flex-wrap: wrap;
  justify-content: flex-end;
  align-items: center;
  gap: 10px;
  margin-top: 16px;
}
.choices .press.quiet {
  margin-left: auto;
}
</style>
