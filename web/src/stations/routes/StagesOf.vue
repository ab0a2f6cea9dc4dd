<script setup lang="ts">
/** A route in stages: what goes in first, what that shows, and how little is doubted of the rest then. */
import { ref, shallowRef, watch } from 'vue'
import { api, ask, wordsOf, type Board, type Layout, type Staging } from '@/api/client'
import { session } from '@/frame/session'
import { surely } from '@/ui/belief'
import { percent } from '@/ui/figures'
import { stageWords, STAGINGS } from './stages'

const props = defineProps<{ machineId: string; board: Board; now: Layout; goal: Layout; doubted: number }>()
const emit = defineEmits<{ plan: [stages: Layout[]] }>()
const ways = shallowRef<Staging[]>()
const wrong = ref('')
const open = ref(false)

watch([open, () => props.goal], async () => {
  ways.value = undefined
  wrong.value = ''
  if (!open.value) return
  try {
    ways.value = await ask(
      api.POST('/api/machines/{machine_id}/stagings', {
        params: { path: { machine_id: props.machineId } },
        body: { slots: props.goal as never },
      }),
    )
  } catch (error) {
    wrong.value = wordsOf(error)
  }
})
const before = (way: Staging, i: number): Layout => (i ? (way.stages[i - 1]!.slots as Layout) : props.now)
const last = (way: Staging) => way.stages[way.stages.length - 1]!
</script>

<template>
  <section>
    <button type="button" class="quiet-link small" :aria-expanded="open" @click="open = !open">In stages</button>
    <p v-if="wrong" class="wrong small" role="alert">{{ wrong }}</p>
    <template v-if="open && ways">
      <p v-if="!ways.length" class="small faded">No part of it runs by itself: it goes in at once.</p>
      <div v-for="way in ways" :key="way.how" class="way">
        <p class="small head">
          <b>{{ STAGINGS[way.how] }}</b>
          <button
            v-if="session.mayWrite()"
            type="button"
            class="quiet-link"
            :aria-label="`Plan it so: ${STAGINGS[way.how]}`"
            @click="
              emit(
                'plan',
                way.stages.map((s) => s.slots as Layout),
              )
            ">
            Plan it so
          </button>
        </p>
        <ol class="small">
          <li v-for="(s, i) in way.stages" :key="i">
            {{ stageWords(board, before(way, i), s.slots as Layout) }}:
            {{ s.doubted ? `${percent(s.doubted)} doubted` : 'nothing doubted' }}.
            <template v-if="s.shows.length"
              >Shows
              <template v-for="(w, n) in s.shows" :key="w.words"
                >{{ n ? '; ' : '' }}{{ w.words }}
                <span class="faded"
                  >({{ surely(w.works) }}, then {{ w.then_works === null ? 'known' : surely(w.then_works) }})</span
                ></template
              >.</template
            >
          </li>
          <li>
            Then the rest: {{ last(way).left ? `${percent(last(way).left)} doubted` : 'nothing doubted'
            }}<template v-if="doubted > last(way).left + 0.005">, not {{ percent(doubted) }}</template
            >.
          </li>
        </ol>
      </div>
    </template>
  </section>
</template>

<style scoped>
.way {
  border-top: 1px solid var(--rule);
  padding-top: 4px;
}
p {
  margin: 0;
}
.head {
  display: flex;
  justify-content: space-between;
}
ol {
  margin: 2px 0 6px;
  padding-left: 20px;
}
</style>
