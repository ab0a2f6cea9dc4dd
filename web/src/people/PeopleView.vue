<script setup lang="ts">
/** Accounts: for leads everybody's, for everybody their own password. */
import { useRouter } from 'vue-router'
import { computed, onMounted, ref, shallowRef } from 'vue'
import { api, ask, wordsOf, type Member } from '@/api/client'
import { session } from '@/frame/session'
import { vLines } from '@/ui/lines'
import { otherTheme, themeName } from '@/frame/theme'
import FieldFault from '@/ui/FieldFault.vue'
import AccessEvents from './AccessEvents.vue'
import OwnAccess from './OwnAccess.vue'
import SecondFactor from './SecondFactor.vue'
import ToldOthers from './ToldOthers.vue'
import ComingNote from '@/ui/ComingNote.vue'
import { useForm } from '@/ui/form'
import { useTitle } from '@/ui/title'
import { useTogether } from '@/ui/together'

useTitle(() => 'People')

type Role = 'viewer' | 'technician' | 'lead'
const ROLES: Role[] = ['viewer', 'technician', 'lead']
const MAY: Record<Role, string> = {
  viewer: 'looks',
  technician: 'plans and changes',
  lead: 'plans, changes and looks after people',
}
const people = shallowRef<Member[]>([])
const { whole, part } = useTogether()
const [listed, asked] = [part(), part()]
const isLead = session.account?.role === 'lead'
const wrong = ref('')
const said = ref('')

async function run(work: () => Promise<unknown>, done: string): Promise<void> {
  wrong.value = said.value = ''
  try {
    await work()
    said.value = done
    if (isLead) people.value = await ask(api.GET('/api/people'))
  } catch (error) {
    wrong.value = wordsOf(error)
  }
}

const {
  values: fresh,
  faults: freshFaults,
  wrong: notAdded,
  sending: adding,
  submit: add,
  clear: clearFresh,
} = useForm({ name: '', shown_as: '', password: '', role: 'technician' as Role }, async (f) => {
  await ask(api.POST('/api/people', { body: { ...f } }))
  clearFresh()
  await run(async () => undefined, 'Added. Tell them their password; they can change it here.')
})

const change = (p: Member, body: { role?: Role; active?: boolean; awaits_directory?: boolean }, done: string) =>
  run(() => ask(api.PATCH('/api/people/{account_id}', { params: { path: { account_id: p.id } }, body })), done)

const {
  values: own,
  faults: ownFaults,
  wrong: notChanged,
  sending: changing,
  submit: changeOwn,
  clear: clearOwn,
} = useForm({ old: '', new: '' }, async (f) => {
  await ask(api.PUT('/api/session/password', { body: { ...f } }))
  clearOwn()
  await run(async () => undefined, 'Your password is changed; you are signed out everywhere else.')
})
const {
  values: team,
  faults: teamFaults,
  wrong: notAgreed,
  sending: agreeing,
  submit: agree,
} = useForm({ approvals: 1, delegated_trouble: 0, delegated_cost: 0 }, async (f) => {
  await ask(
    api.PUT('/api/people/team', {
      body: {
        approvals: Number(f.approvals),
        delegated_trouble: Number(f.delegated_trouble) / 100,
        delegated_cost: Number(f.delegated_cost),
      },
    }),
  )
  agreed.value = JSON.stringify(f)
  await run(async () => undefined, 'So it is from now on: plans that are approved already are looked at by it too.')
})
/** The form as it is kept; "" until that is known, and nothing is sent over it. */
const agreed = ref('')
const asAgreed = computed(() => agreed.value === JSON.stringify(team))
onMounted(() => {
  if (!isLead) return listed()
  void run(async () => {
    const now = await ask(api.GET('/api/people/team'))
    Object.assign(team, { ...now, delegated_trouble: Math.round(now.delegated_trouble * 1000) / 10 })
    agreed.value = JSON.stringify(team)
  }, '').finally(listed)
})
/** The directory's name, where people sign in by one. */
const byDirectory = ref('')
onMounted(async () => {
  if (isLead)
    byDirectory.value = await ask(api.GET('/api/session/ways')).then(
      (w) => w.directory ?? '',
      () => '',
    )
  asked()
})
const router = useRouter()
async function leave(): Promise<void> {
  await session.signOut()
  await router.push('/sign-in')
}
</script>

<template>
  <div class="page people">
    <header>
      <h1>People</h1>
      <button type="button" class="press quiet on-phone" @click="otherTheme">
        {{ themeName === 'dark' ? 'Light' : 'Dark' }}</button><button
        type="button"
        class="press quiet on-phone"
        @click="leave">
        Sign out
      </button>
    </header>
    <p v-if="wrong" class="wrong" role="alert">{{ wrong }}</p>
    <p v-else-if="said" role="status">{{ said }}</p>
    <ComingNote v-if="!whole" what="The page" />
    <div v-show="whole" class="parts">
      <section v-if="isLead" class="panel" aria-label="Accounts">
        <div class="scroll" tabindex="0" role="group" aria-label="Everybody">
          <table v-lines>
            <thead>
              <tr>
                <th scope="col">shown as</th>
                <th scope="col">signs in as</th>
                <th scope="col">role</th>
                <th scope="col"><span class="visually-hidden">keep out</span></th>
              </tr>
            </thead>
            <tbody>
              <tr v-for="p in people" :key="p.id" :class="{ out: !p.active }">
                <td>
                  <strong>{{ p.shown_as }}</strong>
                </td>
                <td class="mono">{{ p.name }}</td>
                <td>
                  <select
                    :value="p.role"
                    :aria-label="`Role of ${p.shown_as}`"
                    @change="
                      change(
                        p,
                        { role: ($event.target as HTMLSelectElement).value as Role },
                        `${p.shown_as} has another role.`,
                      )
                    ">
                    <option v-for="r in ROLES" :key="r" :value="r">{{ r }}</option>
                  </select>
                  <span class="faded small">{{ MAY[p.role as Role] }}</span>
                </td>
                <td>
                  <span class="acts">
                    <button
                      type="button"
                      class="quiet-link"
                      @click="
                        change(
                          p,
                          { active: !p.active },
                          p.active ? `${p.shown_as} cannot sign in any more.` : `${p.shown_as} may sign in again.`,
                        )
                      ">
                      {{ p.active ? 'Keep out' : 'Let in again' }}
                    </button>
                    <template v-if="byDirectory">
                      <span v-if="p.directory === 'yes'" class="faded small">by {{ byDirectory }}</span>
                      <button
                        v-else
                        type="button"
                        class="quiet-link"
                        @click="
                          change(
                            p,
                            { awaits_directory: p.directory === 'no' },
                            p.directory === 'no'
                              ? `Who signs in by ${byDirectory} as ${p.name} has this account.`
                              : `${p.shown_as} signs in by password.`,
                          )
                        ">
                        {{
                          p.directory === 'no' ? `Let ${byDirectory} have it` : `Awaits ${byDirectory}: not any more`
                        }}
                      </button>
                    </template>
                    <button
                      v-if="p.second_factor"
                      type="button"
                      class="quiet-link"
                      @click="
                        run(
                          () =>
                            ask(
                              api.DELETE('/api/people/{account_id}/second-factor', {
                                params: { path: { account_id: p.id } },
                              }),
                            ),
                          `${p.shown_as} signs in by password alone until they have another authenticator.`,
                        )
                      ">
                      Authenticator lost
                    </button>
                  </span>
                </td>
              </tr>
            </tbody>
          </table>
        </div>
      </section>
      <div class="forms">
        <form v-if="isLead" class="panel" aria-label="Plans at risk" @submit.prevent="agree">
          <h2>Plans at risk</h2>
          <label>
            Taken by
            <select v-model.number="team.approvals">
              <option :value="1">one person</option>
              <option :value="2">two people</option>
            </select>
          </label>
          <label
            >By technicians too, of plans that are not their own, up to this trouble [%]; 0: leads alone
            <input
              v-model.number="team.delegated_trouble"
              type="number"
              min="0"
              max="100"
              step="any"
              required /><FieldFault :of="teamFaults" name="delegated_trouble"
          /></label>
          <label
            >and up to this cost of modules
            <input v-model.number="team.delegated_cost" type="number" min="0" step="any" required /><FieldFault
              :of="teamFaults"
              name="delegated_cost"
          /></label>
          <p v-if="notAgreed" class="wrong" role="alert">{{ notAgreed }}</p>
          <button class="press" type="submit" :disabled="agreeing || asAgreed || !agreed">
            {{ asAgreed ? 'Kept so' : 'Keep it so' }}
          </button>
        </form>
        <form v-if="isLead" class="panel" @submit.prevent="add">
          <h2>Somebody new</h2>
          <label
            >Name to sign in with <input v-model="fresh.name" required maxlength="120" autocomplete="off" /><FieldFault
              :of="freshFaults"
              name="name"
          /></label>
          <label>Shown as <input v-model="fresh.shown_as" maxlength="200" autocomplete="off" /></label>
          <label
            >First password
            <input v-model="fresh.password" required minlength="10" autocomplete="new-password" /><FieldFault
              :of="freshFaults"
              name="password"
          /></label>
          <label>
            Role
            <select v-model="fresh.role">
              <option v-for="r in ROLES" :key="r" :value="r">{{ r }}: {{ MAY[r] }}</option>
            </select>
          </label>
          <p v-if="notAdded" class="wrong" role="alert">{{ notAdded }}</p>
          <button class="press" type="submit" :disabled="adding">Add</button>
        </form>
        <form class="panel" @submit.prevent="changeOwn">
          <h2>Your password</h2>
          <label
            >As it is now
            <input v-model="own.old" type="password" required autocomplete="current-password" /><FieldFault
              :of="ownFaults"
              name="old"
          /></label>
          <label
            >New, ten characters at least
            <input v-model="own.new" type="password" required minlength="10" autocomplete="new-password" /><FieldFault
              :of="ownFaults"
              name="new"
          /></label>
          <p v-if="notChanged" class="wrong" role="alert">{{ notChanged }}</p>
          <button class="press" type="submit" :disabled="changing">Change</button>
        </form>
      </div>
      <SecondFactor />
      <OwnAccess />
      <ToldOthers v-if="isLead" />
      <AccessEvents v-if="isLead" />
    </div>
  </div>
</template>

<style scoped>
.acts {
  display: flex;
  flex-wrap: wrap;
  gap: 2px 16px;
}
/* Elsewhere it stands at the foot of the contact edge. */
.on-phone {
  display: none;
}
@media (max-width: 700px) {
  .on-phone {
    display: inline-flex;
  }
}
.parts {
  display: grid;
  grid-template-columns: minmax(0, 1fr);
  gap: 1px;
}
.people {
  display: grid;
  grid-template-columns: minmax(0, 1fr);
}
header {
  padding: 10px 4px 12px 8px;
}
.scroll {
  position: relative;
  overflow-x: auto;
}
table {
  width: 100%;
  border-collapse: collapse;
}
th {
  text-align: left;
  font-weight: 400;
  font-size: 13px;
  color: var(--faded);
  padding: 10px 16px 6px;
}
td {
  padding: 8px 16px;
  border-top: 1px solid var(--rule);
}
.out {
  color: var(--faded);
}
.out strong {
  text-decoration: line-through;
}
td select {
  margin-right: 10px;
}
.forms {
  display: grid;
  grid-template-columns: repeat(auto-fit, minmax(min(300px, 100%), 1fr));
  gap: 12px;
  margin-top: 12px;
  align-items: start;
}
form {
  display: grid;
  gap: 10px;
  padding: 14px 20px 18px;
  width: min(420px, 100%);
}
label {
  display: grid;
  gap: 2px;
  font-size: 13px;
  color: var(--faded);
}
input,
select {
  height: 34px;
  padding: 0 10px;
  border: 1px solid var(--module-edge);
  border-radius: 4px;
  background: var(--paper);
  color: var(--ink);
  font-size: 15px;
}
.wrong {
  color: var(--stop);
}
</style>
