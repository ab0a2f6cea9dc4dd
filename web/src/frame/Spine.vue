<script setup lang="ts">
import { useRouter } from 'vue-router'
import { session } from './session'
import { otherTheme, themeName } from './theme'

const router = useRouter()

async function leave(): Promise<void> {
  await session.signOut()
  await router.push('/sign-in')
}
</script>

<template>
  <nav class="spine" aria-label="Umbrak">
    <router-link to="/machines" class="mark" aria-label="Umbrak, machines">
      <svg width="32" height="44" viewBox="0 0 32 44" aria-hidden="true">
        <rect x="5" y="4" width="9" height="28" fill="#FFFDF9" />
        <rect x="16" y="10" width="9" height="28" fill="#8A4B22" />
      </svg>
    </router-link>
    <router-link to="/machines" class="place" active-class="here">
      <svg width="24" height="24" viewBox="0 0 24 24" fill="none" stroke="currentColor" stroke-width="1.6" aria-hidden="true">
        <rect x="2.5" y="4" width="19" height="6.5" />
        <rect x="2.5" y="13.5" width="19" height="6.5" />
      </svg>
      Machines
    </router-link>
    <router-link to="/shelf" class="place" active-class="here">
      <svg width="24" height="24" viewBox="0 0 24 24" fill="none" stroke="currentColor" stroke-width="1.6" aria-hidden="true">
        <path d="M3 20.5h18M6.5 17V5M11 17V8M15.5 17V5" />
      </svg>
      Shelf
    </router-link>
    <router-link to="/notes" class="place" active-class="here">
      <svg width="24" height="24" viewBox="0 0 24 24" fill="none" stroke="currentColor" stroke-width="1.6" aria-hidden="true">
        <path d="M4 20l1.2-5L16 4.2a1.6 1.6 0 0 1 2.3 0l1.5 1.5a1.6 1.6 0 0 1 0 2.3L9 18.8z M14 6.5l3.5 3.5" />
      </svg>
      Field notes
    </router-link>
    <div class="foot">
      <router-link to="/people" class="place small-place" active-class="here">{{ session.account?.role === 'lead' ? 'People' : 'Account' }}</router-link>
      <button type="button" @click="otherTheme">{{ themeName === 'dark' ? 'Light' : 'Dark' }}</button>
      <button type="button" :title="`${session.account?.role}, press to sign out`" @click="leave">Sign out</button>
      <span class="who">{{ session.account?.shown_as }}</span>
    </div>
  </nav>
</template>

<style scoped>
.spine {
  position: sticky;
  top: 0;
  height: 100vh;
  background: var(--spine);
  color: var(--spine-ink);
  display: flex;
  flex-direction: column;
  align-items: stretch;
  font-size: 12px;
  text-align: center;
}
.mark {
  padding: 12px 0 14px;
}
.place {
  display: grid;
  justify-items: center;
  gap: 4px;
  padding: 8px 0;
  color: inherit;
  text-decoration: none;
  border-left: 3px solid transparent;
  border-right: 3px solid transparent;
}
.here {
  color: #fffdf9;
  border-left-color: #d9935f;
}
.small-place {
  padding: 6px 0;
}
.foot {
  margin-top: auto;
  display: grid;
  gap: 2px;
  padding-bottom: 14px;
}
.foot button {
  padding: 6px 2px;
  color: inherit;
}
.foot button:hover {
  color: #fffdf9;
}
.who {
  padding-top: 4px;
  color: #fffdf9;
}
:focus-visible {
  outline-color: #d9935f;
  outline-offset: -2px;
}
@media (max-width: 700px) {
  .spine {
    position: static;
    height: auto;
    flex-direction: row;
    align-items: center;
    padding: 0 8px;
  }
  .here {
    border-left-color: transparent;
  }
  .mark {
    padding: 4px;
  }
  .mark svg {
    width: 22px;
    height: 30px;
  }
  .foot {
    margin: 0 0 0 auto;
    display: flex;
    padding: 0;
    gap: 8px;
    align-items: center;
  }
  .who {
    padding: 0;
  }
}
</style>
