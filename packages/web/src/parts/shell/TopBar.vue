<script setup lang="ts">
import { ElDropdown, ElDropdownItem, ElDropdownMenu } from 'element-plus/es/components/dropdown/index'
import 'element-plus/es/components/dropdown/style/css'
import 'element-plus/es/components/dropdown-item/style/css'
import 'element-plus/es/components/dropdown-menu/style/css'
import { countText, numberText } from '#core'
import { computed, toRef, useTemplateRef } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import type { TodoCount } from '#contract'
import { turnTheme } from '../../look/theme'
import { api } from '../data/api'
import FinderBox from './FinderBox.vue'
import UnderWay from './UnderWay.vue'
import { useKeys } from './keys'
import { useResource } from '../data/resource'
import { useSession } from '../data/session'
import ChoiceField from '../ui/ChoiceField.vue'
import { fullText, present } from '../format/time'

const session = useSession()
const route = useRoute()
const router = useRouter()
const open = useResource(
  () => api.get<TodoCount>(`/rounds/count${session.clientId === null ? '' : `?client=${session.clientId}`}`),
  { topics: ['alerts'], sources: [toRef(session, 'clientId')], isNow: true },
)
const todo = computed(() => open.data.value?.todo ?? 0)
const places = computed(() => [
  { path: '/rounds', name: 'Rounds' },
  { path: '/estate', name: 'Estate' },
  ...(session.isStaff
    ? [
        { path: '/rollout', name: 'Rollout' },
        { path: '/policy', name: 'Policy' },
      ]
    : []),
  { path: '/maintenance', name: 'Maintenance' },
  ...(session.person?.access === 'lead' ? [{ path: '/setup', name: 'Setup' }] : []),
])
const initials = computed(() =>
  session.person?.name
    .split(' ')
    .map((word) => word[0])
    .join('')
    .slice(0, 2),
)
const clientField = useTemplateRef<{ open(): void }>('clientField')
const clientChoices = computed(() => [
  ...(session.clients.length > 1 ? [{ value: 0, text: 'All clients', hint: String(session.clients.length) }] : []),
  ...session.clients.map(({ id, name, deviceCount }) => ({ value: id, text: name, hint: countText(deviceCount, 'device') })),
])
useKeys('Everywhere', [
  ...places.value.map(({ path, name }, i) => ({ key: String(i + 1), does: name, run: () => void router.push(path) })),
  {
    key: 'c',
    does: 'choose the client in view',
    run: () => clientField.value?.open(),
  },
])
</script>

<template>
  <header class="bar">
    <RouterLink to="/rounds" class="word">Custode</RouterLink>
    <ChoiceField
      ref="clientField"
      class="client"
      label="Client in view"
      :model-value="session.clientId ?? 0"
      :choices="clientChoices"
      @update:model-value="session.choose($event || null)"
    />
    <nav class="places" aria-label="Places">
      <RouterLink
        v-for="place in places"
        :key="place.path"
        :to="place.path"
        :class="{ on: route.path.startsWith(place.path) }"
      >{{ place.name }}<sup v-if="place.name === 'Rounds' && todo" :aria-label="`${numberText(todo)} to do`">{{ numberText(todo) }}</sup></RouterLink>
    </nav>
    <UnderWay v-if="session.isStaff" />
    <FinderBox />
    <span class="muted clock">{{ fullText(present) }}</span>
    <ElDropdown trigger="click" placement="bottom-end" :show-arrow="false">
      <button class="who" :aria-label="`${initials}: ${session.person?.name}`">{{ initials }}</button>
      <template #dropdown>
        <p class="person"><b>{{ session.person?.name }}</b><br><span class="muted">{{ session.person?.access }} · {{ session.person?.email }}</span></p>
        <ElDropdownMenu>
          <ElDropdownItem @click="router.push('/me')">Your page</ElDropdownItem>
          <ElDropdownItem @click="turnTheme">Light or dark</ElDropdownItem>
          <ElDropdownItem @click="session.signOut()">Sign out</ElDropdownItem>
        </ElDropdownMenu>
      </template>
    </ElDropdown>
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
  max-width: 230px;
}
.person {
  padding: 10px 16px 4px;
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
@media (max-width: 900px) {
  .bar {
    height: auto;
    flex-wrap: wrap;
    padding: 6px 20px;
    gap: 4px 16px;
  }
  .places {
    order: 1;
    width: 100%;
    flex-wrap: wrap;
    margin: 0;
  }
  .places a {
    padding: 6px 0;
  }
  .places sup {
    top: -1px;
  }
  .client {
    min-width: 140px;
  }
  .clock {
    display: none;
  }
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
</style>
