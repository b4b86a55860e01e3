<script setup lang="ts">
import { ElDropdown, ElDropdownItem, ElDropdownMenu } from 'element-plus/es/components/dropdown/index'
import 'element-plus/es/components/dropdown/style/css'
import 'element-plus/es/components/dropdown-item/style/css'
import 'element-plus/es/components/dropdown-menu/style/css'
import type { ServiceActionView } from '#contract'
import type { Service, ServiceAction } from '#core'
import { api } from '../../../parts/data/api'
import { confirmed } from '../../../parts/ui/confirm'
import { attempt, done } from '../../../parts/ui/notify'
import { verbsFor, verbWords } from './words'

/** What can be done about one service on one device, from its row. */
const props = defineProps<{
  deviceId: number
  deviceName: string
  service: Pick<Service, 'name' | 'state'>
  /** Its agent starts and stops services. */
  canAct: boolean
  /** What else the list offers: a code and its words. */
  more?: readonly (readonly [code: string, text: string])[]
}>()
const emit = defineEmits<{ asked: []; pick: [code: string] }>()

async function act(verb: ServiceAction['verb']): Promise<void> {
  const { name } = props.service
  // What runs has people who use it; nobody misses what is stopped.
  const isSure =
    verb === 'start' || (await confirmed(`${verbWords[verb]} ${name} on ${props.deviceName}? Whoever uses it is cut off.`, verbWords[verb]))
  if (!isSure) return
  const path = `/devices/${props.deviceId}/service-actions`
  if (!(await attempt(() => api.post<ServiceActionView[]>(path, { verb, service: name })))) return
  done(`The agent of ${props.deviceName} was asked to ${verb} ${name}.`)
  emit('asked')
}
async function chosen(code: string): Promise<void> {
  if (code === 'start' || code === 'stop' || code === 'restart') await act(code)
  else emit('pick', code)
}
</script>

<template>
  <ElDropdown trigger="click" @command="chosen">
    <button class="link" :aria-label="`Actions for ${service.name} on ${deviceName}`">Actions</button>
    <template #dropdown>
      <ElDropdownMenu>
        <template v-if="canAct">
          <ElDropdownItem v-for="verb in verbsFor(service)" :key="verb" :command="verb">{{ verbWords[verb] }}</ElDropdownItem>
        </template>
        <ElDropdownItem v-else disabled>Its agent cannot start or stop services</ElDropdownItem>
        <ElDropdownItem v-for="([code, text], i) in more" :key="code" :command="code" :divided="i === 0">{{ text }}</ElDropdownItem>
      </ElDropdownMenu>
    </template>
  </ElDropdown>
</template>
