<script setup lang="ts">
import { ElPopover } from 'element-plus/es/components/popover/index'
import 'element-plus/es/components/popover/style/css'
import { computed, ref, toRef } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import type { TodoCount } from '#contract'
import { turnTheme } from '../../look/theme'
import { api } from '../data/api'
import FinderBox from './FinderBox.vue'
import { useKeys } from './keys'
import { useResource } from '../data/resource'
import { useSession } from '../data/session'
import { fullText, now } from '../format/time'

const session = useSession()
const route = useRoute()
const router = useRouter()
const open = useResource(
  () => api.get<TodoCount>(`/rounds/count${session.clientId === null ? '' : `?client=${session.clientId}`}`),
  { topics: ['alerts'], sources: [toRef(session, 'clientId')] },
)
const todo = computed(() => open.data.value?.todo ?? 0)
const places = computed(() => [
  { path: '/rounds', name: 'Rounds' },
  { path: '/estate', name: 'Estate' },
  ...(session.mayChange
    ? [
        { path: '/rollout', name: 'Rollout' },
        { path: '/policy', name: 'Policy' },
      ]
    : []),
  { path: '/maintenance', name: 'Maintenance' },
])
const initials = computed(() =>
  session.person?.name
    .split(' ')
    .map((word) => word[0])
    .join('')
    .slice(0, 2),
)
const clientsOpen = ref(false)
function choose(id: number | null): void {
  session.choose(id)
  clientsOpen.value = false
}
useKeys('Everywhere', [
  { key: '1', does: 'Rounds', run: () => void router.push('/rounds') },
  { key: '2', does: 'Estate', run: () => void router.push('/estate') },
  { key: '3', does: 'Policy', run: () => void router.push('/policy') },
  { key: '4', does: 'Maintenance', run: () => void router.push('/maintenance') },
  {
    key: 'c',
    does: 'choose the client in view',
    run: () => {
      clientsOpen.value = !clientsOpen.value
    },
  },
])
</script>

<template>
  <header class="bar">
    <RouterLink to="/rounds" class="word">Custode</RouterLink>
    <ElPopover v-model:visible="clientsOpen" trigger="click" :width="280" placement="bottom-start" :show-arrow="false">
      <template #reference>
        <button class="client">{{ session.client?.name ?? 'All clients' }}
          <i>{{ session.client?.deviceCount ?? session.clients.length }}</i></button>
      </template>
      <div class="choices">
        <button v-if="session.clients.length > 1" :class="{ on: session.clientId === null }" @click="choose(null)">All
          clients <i>{{ session.clients.length }}</i></button>
        <button
          v-for="client in session.clients"
          :key="client.id"
          :class="{ on: session.clientId === client.id }"
          @click="choose(client.id)"
        >{{ client.name }} <i>{{ client.deviceCount }} devices</i></button>
      </div>
    </ElPopover>
    <nav class="places" aria-label="Places">
      <RouterLink
        v-for="place in places"
        :key="place.path"
        :to="place.path"
        :class="{ on: route.path.startsWith(place.path) }"
      >{{ place.name }}<sup v-if="place.name === 'Rounds' && todo" :aria-label="`${todo} to do`">{{ todo }}</sup></RouterLink>
    </nav>
    <FinderBox />
    <span class="muted">{{ fullText(now) }}</span>
    <ElPopover trigger="click" :width="220" placement="bottom-end" :show-arrow="false">
      <template #reference><button class="who" :aria-label="`${initials}: ${session.person?.name}`">{{ initials }}</button></template>
      <p>
        <b>{{ session.person?.name }}</b>
        <br>
        <span class="muted">{{ session.person?.access }} · {{ session.person?.email }}</span>
      </p>
      <div class="choices">
        <RouterLink v-if="session.isLead && session.person?.clientIds === null" to="/storage">Storage</RouterLink>
        <button @click="turnTheme">Light or dark</button>
        <button @click="session.signOut()">Sign out</button>
      </div>
    </ElPopover>
  </header>
</template>

<style scoped>
.bar {
  height: 44px;
  flex: none;
  display: flex;
  align-items: center;
  padding: 0 20px;
  gap: 22px;
  border-bottom: 1px solid var(--rule);
  background: var(--sheet);
}
.word {
  font: 600 19px var(--serif);
  letter-spacing: 0.01em;
  color: var(--ink);
}
.client {
  border: 1px solid var(--rule);
  border-radius: 3px;
  padding: 2px 10px;
  background: var(--field);
  display: flex;
  gap: 8px;
  cursor: pointer;
  max-width: 230px;
  white-space: nowrap;
  overflow: hidden;
  text-overflow: ellipsis;
}
.client i,
.choices i {
  color: var(--ink3);
  font-style: normal;
}
.places {
  display: flex;
  gap: 18px;
  margin-left: 6px;
}
.places a {
  position: relative;
  color: var(--ink2);
  padding: 12px 0 10px;
  border-bottom: 2px solid transparent;
  text-decoration: none;
}
.places a.on {
  color: var(--ink);
  font-weight: 600;
  border-color: var(--ink);
}
.places sup {
  position: absolute;
  top: 5px;
  right: -11px;
  font-size: 11px;
  line-height: 12px;
  color: var(--critical);
  font-weight: 600;
}
.who {
  width: 26px;
  height: 26px;
  border-radius: 50%;
  border: 1px solid var(--ink2);
  background: none;
  font-size: 11px;
  color: var(--ink2);
  cursor: pointer;
  padding: 0;
}
.choices {
  display: grid;
  margin-top: 4px;
}
.choices a {
  color: var(--ink);
  padding: 5px 6px;
}
.choices button {
  border: 0;
  background: none;
  text-align: left;
  padding: 5px 6px;
  cursor: pointer;
  display: flex;
  justify-content: space-between;
}
.choices button:hover,
.choices .on {
  background: var(--act-soft);
}
</style>
