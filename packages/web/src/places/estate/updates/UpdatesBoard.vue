<script setup lang="ts">
import { computed } from 'vue'
import { useRoute } from 'vue-router'
import { useAddressed } from '../../../parts/data/addressed'
import { useSession } from '../../../parts/data/session'
import ChoiceField from '../../../parts/ui/ChoiceField.vue'
import EstateParts from '../EstateParts.vue'
import UpdateAcross from './UpdateAcross.vue'
import UpdatesByClient from './UpdatesByClient.vue'
import UpdatesByName from './UpdatesByName.vue'

/** Updates over all devices: by client, by name, and one of them on its devices. */
const session = useSession()
const route = useRoute()
const name = computed(() => (typeof route.query.update === 'string' ? route.query.update : ''))
const view = useAddressed('view', 'clients')
const part = computed(() => (view.value === 'names' ? UpdatesByName : UpdatesByClient))
</script>

<template>
  <div class="page">
    <UpdateAcross v-if="name" :key="name" :name="name" />
    <template v-else>
      <div class="head">
        <h1>Estate</h1>
      </div>
      <EstateParts />
      <component :is="part">
        <template #view>
          <span>Updates that wait at <b>{{ session.client?.name ?? 'every client' }}</b>,</span>
          <ChoiceField v-model="view" label="View">
            <option value="clients">by client</option>
            <option value="names">by update</option>
          </ChoiceField>
        </template>
      </component>
    </template>
  </div>
</template>
