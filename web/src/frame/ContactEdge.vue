<script setup lang="ts">
/** The contact edge: a strip like the edge of a module, whose contacts are the places one can be. On a phone it lies along the
 * bottom. The present one is long, and in a machine its trace grows out of it. */
import { watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import type { DeskCounts } from '@/api/client'
import { finding, helping } from '@/ui/keys'
import { counts, tellCounts } from './counts'
import { session } from './session'
import { otherTheme, themeName } from './theme'

const route = useRoute()
const router = useRouter()
watch(
  () => route.path,
  () => void tellCounts(),
  { immediate: true },
)
/** Said beside the name, not in it. */
const wanting = (place: keyof DeskCounts) =>
  counts.value?.[place] ? `${counts.value[place]} want somebody` : undefined
async function leave(): Promise<void> {
  await session.signOut()
  await router.push('/sign-in')
}
</script>

<template>
  <nav class="edge" aria-label="Umbrak">
    <div class="places">
      <router-link to="/desk" class="place" :title="wanting('desk')" active-class="here"
        >Desk<sup v-if="counts?.desk" class="want" aria-hidden="true">{{ counts.desk }}</sup></router-link
      >
      <router-link
        to="/machines"
        class="place"
        :title="wanting('machines')"
        :class="{ here: route.path.startsWith('/machines') }"
        >Machines<sup v-if="counts?.machines" class="want" aria-hidden="true">{{ counts.machines }}</sup></router-link
      >
      <router-link
        to="/rounds"
        class="place"
        :title="wanting('rounds')"
        :class="{ here: route.path.startsWith('/rounds') }"
        >Rounds<sup v-if="counts?.rounds" class="want" aria-hidden="true">{{ counts.rounds }}</sup></router-link
      >
      <span class="notch" aria-hidden="true"></span>
      <router-link
        to="/shelf"
        class="place"
        :title="wanting('shelf')"
        :class="{ here: route.path.startsWith('/shelf') }"
        >Shelf<sup v-if="counts?.shelf" class="want" aria-hidden="true">{{ counts.shelf }}</sup></router-link
      >
      <router-link
        to="/sheets"
        class="place"
        :title="wanting('sheets')"
        :class="{ here: route.path.startsWith('/sheets') }"
        >Sheets<sup v-if="counts?.sheets" class="want" aria-hidden="true">{{ counts.sheets }}</sup></router-link
      >
      <router-link to="/notes" class="place" active-class="here" aria-label="Field notes"
        ><span class="long">Field&nbsp;</span><span class="low">notes</span></router-link
      >
    </div>
    <span class="idle" aria-hidden="true"></span>
    <span class="printed" aria-hidden="true"><b>UMBRAK</b></span>
    <div class="foot">
      <router-link
        to="/people"
        class="who"
        active-class="here"
        :aria-label="`${session.account?.shown_as}: ${session.account?.role === 'lead' ? 'people' : 'account'}`"
        >{{ session.account?.shown_as }}</router-link
      >
      <button type="button" class="wide-only" @click="finding = true">Find <kbd>/</kbd></button>
      <button type="button" @click="otherTheme">{{ themeName === 'dark' ? 'Light' : 'Dark' }}</button>
      <button type="button" class="wide-only" @click="helping = true">Keys <kbd>?</kbd></button>
      <button type="button" @click="leave">Sign out</button>
    </div>
  </nav>
</template>

<style scoped>
.edge {
  position: sticky;
  top: 0;
  z-index: 20;
  height: 100vh;
  background: var(--strip);
  border-right: 1px solid var(--strip-edge);
  display: flex;
  flex-direction: column;
  font-size: 14px;
}
.places {
  display: grid;
  padding-top: 63px;
}
.place {
  position: relative;
  display: flex;
  align-items: center;
  height: 34px;
  padding-left: 14px;
  color: var(--ink);
  text-decoration: none;
}
.want {
  align-self: flex-start;
  margin: 6px 0 0 5px;
  font-size: 11px;
  line-height: 1;
  font-weight: 650;
  color: var(--umber);
}
/* A contact straddles the edge: as much of it within the strip as without. */
.place::after {
  content: '';
  position: absolute;
  right: -9px;
  width: 16px;
  height: 5px;
  background: var(--brass);
}
.place:hover::after {
  background: var(--umber);
}
.here {
  font-weight: 650;
}
.place.here::after {
  right: -23px;
  width: 35px;
  height: 6px;
  background: var(--umber);
}
/* The notch: half a round cut into the strip. */
.notch {
  position: relative;
  height: 42px;
}
.notch::after {
  content: '';
  position: absolute;
  right: -1px;
  top: 11px;
  width: 30px;
  height: 20px;
  border: 1px solid var(--strip-edge);
  border-right: 0;
  border-radius: 10px 0 0 10px;
  background: var(--paper);
}
/* Contacts that nothing is wired to yet. */
.idle {
  flex: 1;
  align-self: flex-end;
  width: 7px;
  margin: 18px 0;
  min-height: 0;
  background: repeating-linear-gradient(to bottom, var(--brass) 0 3px, transparent 3px 8px);
  opacity: 0.45;
}
.printed {
  position: absolute;
  left: 12px;
  bottom: 196px;
  writing-mode: vertical-rl;
  transform: rotate(180deg);
  font-family: 'Atkinson Hyperlegible Mono Variable', ui-monospace, monospace;
  font-size: 12px;
  letter-spacing: 0.12em;
  color: var(--faded);
}
.foot {
  display: grid;
  margin: 0 14px;
  padding: 10px 0 14px;
  border-top: 1px solid var(--strip-edge);
}
.foot > * {
  display: flex;
  justify-content: space-between;
  align-items: center;
  min-height: 26px;
  color: var(--ink);
  text-align: left;
  text-decoration: none;
}
.foot > *:hover {
  color: var(--umber);
}
.who {
  font-weight: 650;
}
@media (max-width: 700px) {
  .low {
    text-transform: capitalize;
  }
}
kbd {
  font: inherit;
  color: var(--faded);
}
@media (max-height: 560px) {
  .printed {
    display: none;
  }
}
@media (max-width: 700px) {
  .edge {
    position: fixed;
    inset: auto 0 0;
    height: 62px;
    flex-direction: row;
    border-right: 0;
    border-top: 1px solid var(--strip-edge);
  }
  .places {
    flex: 1;
    display: grid;
    grid-auto-flow: column;
    justify-content: space-around;
    padding: 0;
    font-size: 12.5px;
  }
  .place {
    justify-content: center;
    padding: 16px 0 0;
    min-width: 44px;
    height: 62px;
  }
  .place::after {
    right: auto;
    left: calc(50% - 3px);
    top: -9px;
    width: 6px;
    height: 16px;
  }
  .place.here::after {
    right: auto;
    left: calc(50% - 4px);
    top: -12px;
    width: 8px;
    height: 30px;
  }
  .notch {
    width: 20px;
    height: auto;
  }
  .notch::after {
    inset: -1px auto auto 3px;
    width: 20px;
    height: 24px;
    border: 1px solid var(--strip-edge);
    border-top: 0;
    border-radius: 0 0 10px 10px;
  }
  .idle,
  .printed,
  .wide-only {
    display: none;
  }
  .foot {
    display: flex;
    gap: 2px;
    align-items: center;
    margin: 0;
    padding: 10px 4px 0 2px;
    border: 0;
  }
  .foot > * {
    white-space: nowrap;
    min-height: 44px;
    min-width: 44px;
    justify-content: center;
    font-size: 13px;
  }
  .foot > button {
    display: none;
  }
  .long {
    display: none;
  }
}
</style>
