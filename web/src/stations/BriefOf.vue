<script setup lang="ts">
/** What to look for in a shop, for a plan or a layout: what would do as well, what nearly, what is wrong and why. */
import { ref, shallowRef, watch } from 'vue'
import { api, ask, wordsOf, type Brief, type Layout } from '@/api/client'
import SeverityMark from '@/ui/SeverityMark.vue'

const props = defineProps<{ machineId: string; plan?: { id: string; version: number }; slots?: Layout; of?: string }>()
const brief = shallowRef<Brief>()
const wrong = ref('')
const open = ref(false)
const copied = ref(false)

async function load(): Promise<void> {
  wrong.value = ''
  try {
    brief.value = props.plan
      ? await ask(api.GET('/api/plans/{plan_id}/brief', { params: { path: { plan_id: props.plan.id } } }))
      : await ask(
          api.POST('/api/machines/{machine_id}/brief', {
            params: { path: { machine_id: props.machineId } },
            body: { slots: props.slots as never },
          }),
        )
  } catch (error) {
    wrong.value = wordsOf(error)
  }
}
watch([open, () => props.plan?.version, () => props.plan?.id, () => props.slots], () => {
  copied.value = false
  if (open.value) void load()
  else brief.value = undefined
})
async function copy(): Promise<void> {
  try {
    await navigator.clipboard.writeText(brief.value!.text)
    copied.value = true
  } catch {
    wrong.value = 'This browser does not let a page copy: mark the text and copy it by hand.'
  }
}
</script>

<template>
  <section class="brief">
    <p>
      <button type="button" class="quiet-link" :aria-expanded="open" @click="open = !open">
        {{ of ? `The whole brief for ${of}` : 'What to look for in a shop' }}</button><template v-if="plan && !of"
        >&ensp;<router-link class="quiet-link" :to="{ path: '/shelf/buy', query: { plan: plan.id } }"
          >What to buy</router-link
        ></template
      >
    </p>
    <p v-if="wrong" class="wrong small" role="alert">{{ wrong }}</p>
    <p v-if="open && !brief && !wrong" class="small faded" role="status">judging what would do as well</p>
    <div v-if="open && brief" class="said" aria-label="Brief">
      <p v-if="!brief.lines.length" class="small">Nothing to buy: it needs no module that is not there.</p>
      <p v-for="w in brief.stops" :key="w" class="small wrong">
        <SeverityMark severity="stop" /> It cannot work as it is: {{ w }}
      </p>
      <article v-for="line in brief.lines" :key="line.words">
        <h4>{{ line.words }}</h4>
        <dl class="small">
          <template v-for="d in line.details" :key="d.what"
            ><dt>{{ d.what }}</dt>
            <dd>{{ d.words }}</dd></template
          >
        </dl>
        <p v-if="line.as_well.length" class="small does">
          <b>does as well:</b>
          {{ line.as_well.map((v) => (v.comes_to ? `${v.words} (${v.comes_to})` : v.words)).join('; ') }}
        </p>
        <p v-for="v in line.nearly" :key="v.words" class="small does">
          <SeverityMark severity="risk" /> <b>{{ v.words }}</b>: {{ v.comes_to }}
        </p>
        <p v-for="v in line.wrong" :key="v.words" class="small does">
          <SeverityMark severity="stop" /> <b>{{ v.words }}</b>: {{ v.comes_to }}
        </p>
      </article>
      <template v-if="brief.lines.length">
        <p v-for="w in brief.besides" :key="w" class="small faded">{{ w }}</p>
        <template v-if="brief.open.length">
          <p class="small"><b>Nobody can say yet that it fits.</b> Not known:</p>
          <p v-for="w in brief.open" :key="w" class="small does"><SeverityMark severity="ask" /> {{ w }}</p>
        </template>
        <p>
          <button type="button" class="quiet-link" @click="copy">Copy it as text</button>{{ ' ' }}
          <span v-if="copied" class="small faded" role="status">copied</span>
        </p>
      </template>
    </div>
  </section>
</template>

<style scoped>
p {
  margin: 0;
}
.said {
  display: grid;
  gap: 4px;
  border-left: 3px solid var(--rule);
  padding-left: 12px;
  margin-top: 4px;
}
article {
  display: grid;
  gap: 3px;
}
h4 {
  margin: 0;
  font-size: 15px;
}
dl {
  display: grid;
  grid-template-columns: max-content minmax(0, 1fr);
  gap: 0 12px;
  margin: 0;
}
dt {
  color: var(--faded);
}
dd {
  margin: 0;
}
.does {
  padding-left: 2px;
}
</style>
