<script setup lang="ts">
/** Run: what it takes before the work may begin, then the run sheet with board and bays beside it. */
import { computed, ref, watch } from 'vue'
import { api, ask, wordsOf } from '@/api/client'
import { session } from '@/frame/session'
import { useMachine } from '../machine'
import BeforeRun from './BeforeRun.vue'
import RunSheet from './RunSheet.vue'

const { machine, reload } = useMachine()
const current = computed(() => machine.value.runs.find((r) => r.state === 'under way') ?? null)
/** A run that has ended is shown until another plan is looked at. */
const last = computed(() => machine.value.runs[0] ?? null)
const plan = computed(
  () => machine.value.plans.find((p) => !['proved', 'waived', 'backed out'].includes(p.state)) ?? null,
)
const old = ref(false)
watch(plan, () => (old.value = false))
const wrong = ref('')

async function replace(): Promise<void> {
  const names = machine.value.failed.map((s) => machine.value.board.slots.find((x) => x.id === s)?.printed ?? s)
  try {
    const params = { path: { machine_id: machine.value.id } }
    await ask(
      api.POST('/api/machines/{machine_id}/plans', {
        params,
        body: { name: `Replace ${names.join(', ')}`.slice(0, 100) },
      }),
    )
    await reload()
  } catch (error) {
    wrong.value = wordsOf(error)
  }
}
</script>

<template>
  <RunSheet v-if="current" :key="current.id" :run-id="current.id" @ended="reload" />
  <template v-else-if="plan && !old">
    <BeforeRun :key="`${plan.id}-${plan.updated_at}`" :plan="plan" @begun="reload" />
  </template>
  <RunSheet v-else-if="last" :key="last.id" :run-id="last.id" @ended="reload" />
  <section v-else class="panel none">
    <h2>Nothing to run yet</h2>
    <template v-if="machine.failed.length">
      <p>
        {{ machine.failed.length === 1 ? 'A module has failed.' : `${machine.failed.length} modules have failed.` }} A
        plan that replaces it is made here; its run sheet finds the slot, says what the new one must be like, and ends
        with the return.
      </p>
      <button type="button" class="press" v-if="session.mayWrite()" @click="replace">Plan the replacement</button>
    </template>
    <p v-else>
      A run sheet is made from a plan:
      <router-link class="quiet-link" :to="`/machines/${machine.id}/fit`">plan a change in Fit</router-link>, or choose
      a way in <router-link class="quiet-link" :to="`/machines/${machine.id}/routes`">Routes</router-link>.
    </p>
    <p v-if="wrong" class="wrong" role="alert">{{ wrong }}</p>
  </section>
</template>

<style scoped>
.none {
  margin: 12px 16px;
  padding: 24px 28px;
  max-width: 640px;
}
</style>
