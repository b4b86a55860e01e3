<script setup lang="ts">
import { computed, ref } from 'vue'
import type { ProviderSetting } from '#contract'
import { countText } from '#core'
import { api } from '../../../parts/data/api'
import { useResource } from '../../../parts/data/resource'
import { useSession } from '../../../parts/data/session'
import ProviderDialog from './ProviderDialog.vue'

/** By which provider people can sign in, in a sentence. */
const session = useSession()
const mayAll = computed(() => session.person?.clientIds === null)
const { data, refresh } = useResource(() =>
  mayAll.value ? api.get<ProviderSetting>('/house-policy/provider') : Promise.resolve(null),
)
const isOpen = ref(false)
</script>

<template>
  <p v-if="data" class="sentence"><template v-if="data.provider?.isOn">People sign in by <b>{{ data.provider.name }}</b> (<span class="mono">{{ data.provider.issuer }}</span>), with rights by {{ countText(data.provider.rules.length, 'group') }}, or with a password.</template><template v-else>People sign in with a password{{ data.provider ? `; ${data.provider.name} is not in use` : '' }}.</template>
    {{ ' ' }}<button class="link small" @click="isOpen = true">{{ data.provider ? 'change' : 'use an identity provider' }}</button>
    <ProviderDialog v-if="isOpen" :setting="data" @close="isOpen = false" @changed="refresh" /></p>
</template>

<style scoped>
.small {
  font: 14px/20px var(--sans);
}
</style>
