<script setup lang="ts">
import { computed, defineAsyncComponent } from 'vue'
import { useRoute } from 'vue-router'
import KeyHelp from './parts/shell/KeyHelp.vue'
import TitleTips from './parts/shell/TitleTips.vue'
import TopBar from './parts/shell/TopBar.vue'
import WatchLine from './parts/shell/watchline/WatchLine.vue'
import { asOf } from './parts/data/asOf'
import { hasEnded } from './parts/data/ended'
import { connected } from './parts/data/live'
import { useSession } from './parts/data/session'
import { stuckAt } from './router'

// Only who looks back needs it.
const LookBack = defineAsyncComponent(() => import('./parts/shell/LookBack.vue'))
const route = useRoute()
const session = useSession()
const inside = computed(() => !route.meta.open && session.person !== null)
</script>

<template>
  <p v-if="stuckAt !== null" class="apart" role="status">This place could not be opened: the server is not reached, or it could not answer. Trying again…</p>
  <div v-if="inside" class="frame">
    <TopBar />
    <WatchLine />
    <LookBack v-if="asOf !== null" />
    <p v-if="hasEnded" class="apart" role="alert">You are not signed in here any more: the session has ended. What you typed is still there to be copied.
      <a class="again" :href="`/sign-in?to=${encodeURIComponent(route.fullPath)}`">Sign in again</a></p>
    <p v-else-if="!connected" class="apart" role="status">The server is not reached; what you see may be old. Trying again…</p>
    <main><RouterView :key="`${route.path} ${route.query.asOf ?? ''}`" /></main>
    <KeyHelp />
    <TitleTips />
  </div>
  <RouterView v-else />
</template>

<style scoped>
.frame {
  height: 100%;
  display: flex;
  flex-direction: column;
}
main {
  flex: 1;
  min-height: 0;
}
/* Twice as large, or on a small screen: the page scrolls as a whole, and what is below the bar keeps its room. */
@media (max-width: 900px), (max-height: 520px) {
  .frame {
    height: auto;
  }
  main {
    flex: none;
    height: max(100vh - 128px, 480px);
  }
}
/* On paper only what the page says. */
@media print {
  .frame {
    display: block;
    height: auto;
  }
  .frame > :not(main, .band) {
    display: none;
  }
  main {
    height: auto;
  }
}
.again {
  color: inherit;
  text-decoration: underline;
}
.apart {
  background: var(--ink);
  color: var(--ground);
  padding: 3px 20px;
}
</style>
