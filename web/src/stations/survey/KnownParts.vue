<script setup lang="ts">
/** What part numbers tell of the modules here that is open in them: all of it at one press. */
import { ref, shallowRef, watch } from 'vue'
import { api, ask, wordsOf, type FilledModule, type MachineView } from '@/api/client'
import { partPath } from '@/shelf/parts'
import { plural } from '@/ui/words'

const props = defineProps<{ machine: MachineView; mayWrite: boolean }>()
const emit = defineEmits<{ saved: [machine: MachineView] }>()
const found = shallowRef<FilledModule[]>([])
const wrong = ref('')

watch(
  () => props.machine.survey.revision,
  async () => {
    try {
      found.value = await ask(
        api.GET('/api/machines/{machine_id}/known-parts', { params: { path: { machine_id: props.machine.id } } }),
      )
    } catch {
      found.value = [] // the banner tells of a server that is away
    }
  },
  { immediate: true },
)
async function take(some: FilledModule[]): Promise<void> {
  wrong.value = ''
  const slots = Object.assign({}, ...some.map((f) => f.modules)) as never
  try {
    emit(
      'saved',
      await ask(
        api.POST('/api/machines/{machine_id}/surveys', {
          params: { path: { machine_id: props.machine.id } },
          body: { revision: props.machine.survey.revision, slots, failed: null, by_part: true },
        }),
      ),
    )
  } catch (error) {
    wrong.value = wordsOf(error)
  }
}
</script>

<template>
  <section v-if="found.length" class="margin-note of-parts" aria-label="Part numbers tell more">
    <p v-for="f in found" :key="f.number + f.slots.join()" class="small">
      <router-link class="quiet-link mono" :to="partPath(f.number)">{{ f.number }}</router-link>
      tells of {{ plural(f.slots.length, 'module') }}
      <template v-for="(a, i) in f.adds" :key="a.member"
        >{{ i ? ', ' : '' }}{{ a.called }} <b>{{ a.values[0]!.words }}</b>{{ ' ' }}
        <span class="faded">({{ a.values[0]!.source }})</span></template
      >
      <button
        v-if="mayWrite && found.length > 1"
        type="button"
        class="quiet-link"
        :aria-label="`Take what ${f.number} tells`"
        @click="take([f])">
        Take it
      </button>
    </p>
    <button v-if="mayWrite" type="button" class="quiet-link" @click="take(found)">
      Take all that part numbers tell
    </button>
    <p v-if="wrong" class="wrong small" role="alert">{{ wrong }}</p>
  </section>
</template>
