<script setup lang="ts">
import { computed, ref, watch } from 'vue'
import type { DevicePage } from '#contract'
import { watchKind, type PolicyStep, type Values } from '#core'
import ChoiceField from '../../../parts/ui/ChoiceField.vue'
import ChangeDialog from '../../policy/impact/ChangeDialog.vue'
import IntoTemplate from '../../policy/impact/IntoTemplate.vue'
import NewRule from '../../policy/impact/NewRule.vue'
import { useIntoTemplate } from '../../policy/impact/useIntoTemplate'
import { defaultsOf, reachKinds, reachTemplateOf, watchReach } from './watchReach'

/** Makes a watch of what other devices see of this one: its sentence, and the template that it goes into. */
const props = defineProps<{ device: DevicePage }>()
const emit = defineEmits<{ close: [] }>()
const kind = ref(props.device.osFamily === null ? 'reach-page' : 'reach-port')
const values = ref<Values>(defaultsOf(kind.value))
watch(kind, (name) => { values.value = defaultsOf(name) })
const { into, templates, chosen } = useIntoTemplate()
const own = computed(() => templates.value.some(({ name }) => name === reachTemplateOf(props.device)))
const steps = computed((): PolicyStep[] | null => {
  if (!watchKind(kind.value).looks!(values.value)) return null
  if (into.value === '0') return watchReach(props.device, kind.value, values.value, null)
  return chosen.value && watchReach(props.device, kind.value, values.value, chosen.value)
})
</script>

<template>
  <ChangeDialog
    :title="`Look at ${props.device.name}`"
    :steps="steps"
    verb="Look at it on"
    said="Those who look are told within seconds."
    impact-title="If you save this"
    @close="emit('close')"
  >
    <template #form>
      <p class="sentence">Look at
        <ChoiceField v-model="kind" label="What is looked at">
          <option v-for="each in reachKinds" :key="each.name" :value="each.name">{{ each.title }}</option>
        </ChoiceField></p>
      <NewRule v-model:values="values" :kind="kind" :words="{ host: 'its own' }" />
      <p class="faint">Each device that looks tells two readings of it with each of its reports: how quickly it answered, and how often it did not.</p>
      <IntoTemplate v-model="into" :templates="templates" :alone="own ? '' : props.device.name" otherwise="Show one this page." />
    </template>
  </ChangeDialog>
</template>
