<script setup lang="ts">
import { ElCheckbox } from 'element-plus/es/components/checkbox/index'
import 'element-plus/es/components/checkbox/style/css'
import { ElInput } from 'element-plus/es/components/input/index'
import 'element-plus/es/components/input/style/css'
import { computed, ref } from 'vue'
import type { PolicyListing, TemplatePage } from '#contract'
import { api } from '../../../parts/data/api'
import { useResource, type Resource } from '../../../parts/data/resource'
import { useSession } from '../../../parts/data/session'
import { useAddressed } from '../../../parts/data/addressed'
import StateNotice from '../../../parts/ui/StateNotice.vue'
import ExceptionDialog from './ExceptionDialog.vue'
import ExceptionTable from './ExceptionTable.vue'

/** Every exception, those that want a look first. */
const props = defineProps<{ listing: Resource<PolicyListing> }>()
const session = useSession()
const words = useAddressed('words')
const only = useAddressed('only')
const onlyDoubtful = computed({
  get: () => only.value === 'doubtful',
  set: (isOn) => {
    only.value = isOn ? 'doubtful' : ''
  },
})
const all = computed(() => props.listing.data.value?.exceptions ?? [])
const found = computed(() =>
  all.value
    .filter(
      (exception) =>
        `${exception.targetText} ${exception.watchName} ${exception.watch} ${exception.reason} ${exception.ownerName}`
          .toLowerCase()
          .includes(words.value.toLowerCase()) &&
        (!onlyDoubtful.value || exception.doubts.length > 0),
    )
    .sort(
      (a, b) => Number(b.doubts.length > 0) - Number(a.doubts.length > 0) || a.watchName.localeCompare(b.watchName),
    ),
)
const doubtful = computed(() => all.value.filter((exception) => exception.doubts.length).length)
const making = ref(false)
const pages = useResource(
  () =>
    Promise.all(
      (props.listing.data.value?.templates ?? []).map((template) => api.get<TemplatePage>(`/templates/${template.id}`)),
    ),
  { sources: [making] },
)
const watches = computed(() =>
  [...new Map((pages.data.value ?? []).flatMap((page) => page.watches).map((watch) => [watch.key, watch])).values()].sort(
    (a, b) => a.name.localeCompare(b.name),
  ),
)
</script>

<template>
  <p class="find">
    <ElInput v-model="words" placeholder="device, watch, reason or person" aria-label="Find exceptions" />
    <ElCheckbox v-model="onlyDoubtful">only those that need review ({{ doubtful }})</ElCheckbox>
    <span class="end"><button v-if="session.isLead" class="btn" @click="making = true">Make an exception</button></span>
  </p>
  <p v-if="doubtful" class="muted note">Review is needed where the day has passed, where an exception changes nothing
    any more, and where nothing it reaches has the watch.</p>
  <StateNotice
    :error="listing.error.value"
    :loading="!listing.data.value"
    :empty="listing.data.value && !found.length ? (all.length ? 'No exception is like that.' : 'Everybody follows the templates. An exception for one device is made in its roster.') : ''"
    @again="listing.refresh"
  />
  <ExceptionTable v-if="found.length" :exceptions="found" @changed="listing.refresh" />
  <ExceptionDialog v-if="making && watches.length" :watches="watches" @close="making = false; listing.refresh()" />
</template>

<style scoped>
.find {
  display: flex;
  gap: 14px;
  padding: 10px 0;
  align-items: center;
}
.find .end {
  margin-left: auto;
}
.note {
  padding-bottom: 8px;
}
</style>
