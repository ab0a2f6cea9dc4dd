<script setup lang="ts">
/** Where the need begins with what hurts: the figures that the machine shows, the floor that follows, into the lines at a press. */
import { session } from '@/frame/session'
import { gb, gbUp } from '@/ui/figures'
import { moment } from '@/ui/words'
import { seenWords } from './words'
import SeenForm from './SeenForm.vue'
import { useSymptoms } from './symptoms'

const props = defineProps<{ machineId: string; zone: string }>()
const emit = defineEmits<{
  take: [lines: { base: number; cache: number; refused: number; each: number; used: number | null }]
}>()
const { view, wrong, open, kept, drop } = useSymptoms(() => [props.machineId])
function take(): void {
  const last = view.value!.seen[0]!.symptoms
  const base = (last.used_gib ?? 0) + (last.pages ? (last.swapped_gib ?? 0) : 0)
  const refused = last.refused && last.refused_gib ? last.refused : 0
  const cache = Math.max(0, view.value!.need!.floor - base - refused * (last.refused_gib ?? 0))
  emit('take', { base, cache, refused, each: last.refused_gib ?? 0, used: last.used_gib })
}
</script>

<template>
  <!-- its place is there before it is known: the lines below must not move -->
  <p v-if="!view" class="from small faded coming">{{ wrong || 'What it shows is looked up.' }}</p>
  <section v-else class="from" aria-label="What it shows">
    <template v-if="view.seen[0] && view.need">
      <p>
        <b>At least {{ gbUp(view.need.floor) }} GB</b> by what it shows<template v-if="view.need.enough !== null"
          >; {{ gbUp(view.need.enough) }} GB would do</template
        >.
        <button v-if="session.mayWrite()" type="button" class="quiet-link" @click="take">Take it into the lines</button>
      </p>
      <p class="small faded">{{ view.need.terms.map((t) => `${gb(t.gib)} ${t.words}`).join(' + ') }}</p>
      <p v-if="view.need.open.length" class="small"><b>Not known:</b> {{ view.need.open.join('; ') }}</p>
      <p class="small faded">
        Seen {{ moment(view.seen[0].at, zone) }} by {{ view.seen[0].by }}: {{ seenWords(view.seen[0].symptoms) }}
        <button v-if="session.mayWrite()" type="button" class="quiet-link" @click="drop(view.seen[0].id)">
          Take back
        </button>
      </p>
    </template>
    <p v-else class="small faded">
      Nobody knows the lines? Begin with what hurts: what is in use, in swap, how often the cache answers, what found no
      room.
    </p>
    <button v-if="session.mayWrite()" type="button" class="quiet-link" :aria-expanded="open" @click="open = !open">
      {{ view.seen.length ? 'Look again' : 'Begin from what it shows' }}
    </button>
    <SeenForm v-if="open" :machine-id="machineId" :told="view.told_used_gib" @kept="kept" />
    <p v-if="wrong" class="wrong small" role="alert">{{ wrong }}</p>
  </section>
</template>

<style scoped>
.coming {
  min-height: 71px;
}
.from {
  border-bottom: 1px solid var(--rule);
  padding-bottom: 8px;
  margin-bottom: 4px;
}
p {
  margin: 2px 0;
}
</style>
