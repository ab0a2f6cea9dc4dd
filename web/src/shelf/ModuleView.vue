<script setup lang="ts">
/** One module by its serial: where it is, where it was, what was seen of it. */
import { ref, shallowRef, watch } from 'vue'
import { useRouter } from 'vue-router'
import { api, ask, wordsOf, type Trail } from '@/api/client'
import SeverityMark from '@/ui/SeverityMark.vue'
import { useTitle } from '@/ui/title'
import { moment } from '@/ui/words'
import { modulePath, partPath } from './parts'
import { healthWords, isThere, nowWords, placeWords, whatWords } from './trail'

const props = defineProps<{ serial: string }>()
useTitle(() => props.serial)
const router = useRouter()
const trails = shallowRef<Trail[]>()
const wrong = ref('')
const other = ref('')
const zone = Intl.DateTimeFormat().resolvedOptions().timeZone
watch(
  () => props.serial,
  async (serial) => {
    trails.value = undefined
    other.value = ''
    try {
      trails.value = await ask(api.GET('/api/shelf/modules/{serial}', { params: { path: { serial } } }))
      wrong.value = ''
    } catch (error) {
      wrong.value = wordsOf(error)
    }
  },
  { immediate: true },
)
</script>

<template>
  <div class="page module">
    <header>
      <h1 class="mono">{{ trails?.[0]?.serial ?? serial }}</h1>
      <router-link class="quiet-link" to="/shelf">Shelf</router-link>
      <form class="fields" @submit.prevent="other.trim() && router.push(modulePath(other.trim()))">
        <label class="small"
          >Another <input v-model="other" class="mono" maxlength="400" placeholder="scan or type a serial"
        /></label>
      </form>
    </header>
    <p v-if="wrong" class="panel none" role="alert">
      {{ wrong }}
      <span class="faded"
        >A module is known by its serial once a report, a label, a delivery or a note at the bench told it.</span
      >
    </p>
    <p v-if="trails && trails.length > 1" class="panel none">
      <SeverityMark severity="ask" /> Modules of {{ trails.length }} part numbers are told under this serial: these are
      several modules, or a number was misread.
    </p>
    <section v-for="t in trails" :key="t.part" class="panel way" :aria-label="t.part || t.words">
      <p class="now">
        <b>{{ nowWords(t) }}</b>
      </p>
      <p class="small">
        {{ t.words
        }}<template v-if="t.part"
          >, <router-link class="quiet-link mono" :to="partPath(t.part)">{{ t.part }}</router-link></template
        >
      </p>
      <ol>
        <li v-for="(l, i) in t.lines" :key="i" :class="{ here: isThere(l) }">
          <span class="when small"
            ><b>{{ moment(l.at, zone) }}</b
            ><span v-if="l.until" class="faded">to {{ moment(l.until, zone) }}</span
            ><span v-else-if="l.where === 'fitted'" class="faded">seen last {{ moment(l.seen_at!, zone) }}</span></span
          >
          <span>
            <router-link
              v-if="l.machine_id"
              class="quiet-link"
              :to="l.run_id ? `/machines/${l.machine_id}/run` : `/machines/${l.machine_id}/survey`"
              >{{ placeWords(l) }}</router-link><b v-else>{{ placeWords(l) }}</b>
            <span class="small under">{{ whatWords(l) }}</span>
            <span v-if="healthWords(l)" class="small under" :class="{ bad: l.failed_at || l.correctable }"
              ><SeverityMark v-if="l.failed_at" severity="stop" /> {{ healthWords(l) }}</span
            >
          </span>
        </li>
      </ol>
    </section>
  </div>
</template>

<style scoped>
header {
  display: flex;
  flex-wrap: wrap;
  gap: 6px 18px;
  align-items: baseline;
}
header form {
  margin-left: auto;
}
p {
  margin: 0;
}
.way,
.none {
  padding: 12px 18px 16px;
}
.now {
  font-size: 17px;
}
ol {
  list-style: none;
  margin: 12px 0 0;
  padding: 0;
}
li {
  display: grid;
  grid-template-columns: 190px minmax(0, 1fr);
  gap: 2px 18px;
  padding: 8px 0 10px 16px;
  border-left: 3px solid var(--rule);
}
/* Where it is now. */
li.here {
  border-left-color: var(--umber);
}
.when {
  display: grid;
  align-content: start;
}
.under {
  display: block;
}
.bad {
  color: var(--stop);
}
@media (max-width: 700px) {
  li {
    grid-template-columns: minmax(0, 1fr);
  }
}
</style>
