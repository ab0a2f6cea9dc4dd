<script setup lang="ts">
/** Many machines at once: a folder of tables or a table of machines dropped, all services asked; and how far it is. */
import { onBeforeUnmount, onMounted, ref, shallowRef } from 'vue'
import { useRoute } from 'vue-router'
import { api, ask, wordsOf, type Fleet, type Job } from '@/api/client'
import { session } from '@/frame/session'
import { plural } from '@/ui/words'
import FleetPreview from './FleetPreview.vue'
import { total } from './fleet'
import JobPanel from './JobPanel.vue'
import { useTitle } from '@/ui/title'

useTitle(() => 'Many machines')

const jobs = shallowRef<Job[]>([])
const route = useRoute()
const open = ref(typeof route.query.job === 'string' ? route.query.job : '')
const wrong = ref('')
const over = ref(false)
const busy = ref('')
const make = ref(true)
const fleet = shallowRef<{ file: File; found: Fleet } | null>(null)
/** Of its columns, what somebody says that they mean. */
const meant = ref<Record<string, string>>({})
/** Files that one request carries; more come as an archive. */
const MOST_FILES = 900

async function load(): Promise<void> {
  jobs.value = await ask(api.GET('/api/jobs'))
}
let timer = 0
async function follow(): Promise<void> {
  try {
    await load()
  } catch (error) {
    wrong.value = wordsOf(error)
  }
  timer = window.setTimeout(() => void follow(), jobs.value.some((j) => !j.ended_at) ? 700 : 5000)
}
onMounted(follow)
onBeforeUnmount(() => window.clearTimeout(timer))

async function started(work: () => Promise<Job>, words: string): Promise<void> {
  busy.value = words
  wrong.value = ''
  try {
    open.value = (await work()).id
    window.clearTimeout(timer)
    await follow()
  } catch (error) {
    wrong.value = wordsOf(error)
  } finally {
    busy.value = ''
  }
}
function form(parts: Record<string, File | string | (File | string)[]>): FormData {
  const data = new FormData()
  for (const [name, part] of Object.entries(parts)) for (const one of [part].flat()) data.append(name, one)
  return data
}
const sent = (data: FormData) => ({ body: data as never, bodySerializer: (b: unknown) => b as FormData })

async function take(given: File[]): Promise<void> {
  if (!given.length) return
  const table = given.length === 1 && /\.(csv|tsv|xlsx)$/i.test(given[0]!.name) ? given[0] : undefined
  if (table) return preview(table)
  if (given.length > MOST_FILES) {
    wrong.value = `${given.length} files are too many to send one by one: put them into one zip archive and drop that.`
    return
  }
  await started(
    () => ask(api.POST('/api/jobs/readings', sent(form({ files: given, make: String(make.value) })))),
    `Sending ${plural(given.length, 'file')}`,
  )
}
const said = () => Object.entries(meant.value).map(([column, meaning]) => `${column}=${meaning}`)
async function preview(file: File): Promise<void> {
  if (file !== fleet.value?.file) meant.value = {}
  busy.value = `Reading ${file.name}`
  wrong.value = ''
  try {
    fleet.value = { file, found: await ask(api.POST('/api/intakes/fleet', sent(form({ file, meant: said() })))) }
  } catch (error) {
    wrong.value = wordsOf(error)
  } finally {
    busy.value = ''
  }
}
async function means(more: Record<string, string>): Promise<void> {
  meant.value = { ...meant.value, ...more }
  await preview(fleet.value!.file)
}
async function keep(): Promise<void> {
  const { file, found } = fleet.value!
  await started(
    () => ask(api.POST('/api/jobs/tables', sent(form({ file, meant: said() })))),
    `Sending ${plural(total(found), 'row')}`,
  )
  if (!wrong.value) fleet.value = null
}
const poll = () => started(() => ask(api.POST('/api/jobs/pollings', { body: { machines: null } })), 'Starting')

/** Everything that was dropped, folders walked through. */
async function dropped(event: DragEvent): Promise<void> {
  over.value = false
  const entries = [...(event.dataTransfer?.items ?? [])].map((i) => i.webkitGetAsEntry()).filter((e) => e !== null)
  const files: File[] = []
  const walk = async (entry: FileSystemEntry): Promise<void> => {
    if (entry.isFile)
      files.push(await new Promise<File>((done, fail) => (entry as FileSystemFileEntry).file(done, fail)))
    else {
      const reader = (entry as FileSystemDirectoryEntry).createReader()
      for (;;) {
        const some = await new Promise<FileSystemEntry[]>((done, fail) => reader.readEntries(done, fail))
        if (!some.length) return
        for (const one of some) await walk(one)
      }
    }
  }
  for (const entry of entries) await walk(entry)
  await take(files)
}
const chosen = (event: Event) => take([...((event.target as HTMLInputElement).files ?? [])])
</script>

<template>
  <div class="page many">
    <header>
      <h1>Many at once</h1>
      <router-link class="quiet-link back" to="/machines">Back to the machines</router-link>
    </header>
    <p v-if="wrong" class="wrong" role="alert">{{ wrong }}</p>
    <p v-if="!session.mayWrite()" class="faded">A viewer sees how far the work is; starting some takes a technician.</p>
    <div v-else class="ways">
      <section
        class="panel way"
        :class="{ over }"
        aria-labelledby="many-files"
        @dragover.prevent="over = true"
        @dragleave="over = false"
        @drop.prevent="dropped">
        <h2 id="many-files">Read a folder of reports</h2>
        <p class="faded small">
          Drop a folder here, files, or a zip archive of them: SMBIOS tables, listings, saved Redfish collections. A
          file named like a machine, or with its serial number inside, is held against it.
        </p>
        <label class="check small"
          ><input v-model="make" type="checkbox" /> make a machine of each whose model is clear</label
        >
        <label class="small faded file">or choose files <input type="file" multiple @change="chosen" /></label>
      </section>
      <section
        class="panel way"
        :class="{ over }"
        aria-labelledby="many-table"
        @dragover.prevent="over = true"
        @dragleave="over = false"
        @drop.prevent="dropped">
        <h2 id="many-table">Take a table of machines</h2>
        <p class="faded small">
          CSV or XLSX with a column <b>name</b>; make, model, site, place, duty group, looked after by, serial, asset
          tag, warranty end, firmware, processor and a column <b>slot A1</b> for each slot may follow, and columns of
          your own, which are kept. Whatever they are called, you say what they mean. A model that no sheet knows waits
          for one. You see what comes of it before anything is kept.
        </p>
        <a class="quiet-link small" href="/api/machines/file" download>The machines of today as such a table</a>
        <p class="small out">
          All that is looked after:
          <span v-for="what in ['machines', 'slots', 'modules', 'plans']" :key="what"
            >{{ what }} as
            <template v-for="(as, i) in ['csv', 'xlsx', 'json']" :key="as"
              ><template v-if="i">, </template
              ><a
                class="quiet-link"
                :href="`/api/machines/exports/${what}?as=${as}`"
                :aria-label="`${what} as ${as.toUpperCase()}`"
                download
                >{{ as.toUpperCase() }}</a
              ></template
            >
          </span>
        </p>
        <label class="small faded file"
          >choose the table <input type="file" accept=".csv,.tsv,.xlsx" @change="chosen"
        /></label>
      </section>
      <section class="panel way" aria-labelledby="many-ask">
        <h2 id="many-ask">Ask every machine</h2>
        <p class="faded small">
          Those whose address is known from Survey are asked one after the other. What they answer is held against what
          is known; nothing changes before you take it over.
        </p>
        <button type="button" class="press start" :disabled="!!busy" @click="poll">Ask them all</button>
      </section>
    </div>
    <p v-if="busy" class="faded" role="status">{{ busy }} …</p>
    <FleetPreview
      v-if="fleet"
      :name="fleet.file.name"
      :fleet="fleet.found"
      :busy="!!busy"
      @keep="keep"
      @leave="fleet = null"
      @meant="means" />
    <section class="panel jobs" aria-labelledby="many-jobs">
      <h2 id="many-jobs">Work going on and done</h2>
      <p v-if="!jobs.length" class="faded">
        None yet. Work started here goes on when you leave this page, and after a restart.
      </p>
      <JobPanel
        v-for="job in jobs"
        :key="job.id"
        :job="job"
        :open="open === job.id"
        @toggle="open = open === job.id ? '' : job.id"
        @changed="load" />
    </section>
  </div>
</template>

<style scoped>
.out {
  display: flex;
  flex-wrap: wrap;
  gap: 2px 14px;
  margin: 4px 0 0;
}
.many {
  display: grid;
  grid-template-columns: minmax(0, 1fr);
}
header {
  display: flex;
  align-items: baseline;
  padding: 12px 8px 0;
}
.back {
  margin-left: auto;
}
.ways {
  display: grid;
  grid-template-columns: repeat(auto-fit, minmax(260px, 1fr));
  gap: 12px;
}
.way {
  padding: 14px 18px;
  display: flex;
  flex-direction: column;
  gap: 8px;
}
.way p {
  margin: 0;
}
.over {
  outline: 2px dashed var(--umber);
  outline-offset: -4px;
}
.check {
  display: flex;
  gap: 8px;
  align-items: center;
}
.check input {
  accent-color: var(--umber);
}
.file,
.start {
  margin-top: auto;
}
.start {
  align-self: start;
}
.file input {
  display: block;
  max-width: 100%;
}
.jobs {
  padding: 14px 18px;
}
p {
  margin: 0;
}
</style>
