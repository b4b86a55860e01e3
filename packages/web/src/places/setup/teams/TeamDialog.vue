<script setup lang="ts">
import { ElDialog } from 'element-plus/es/components/dialog/index'
import 'element-plus/es/components/dialog/style/css'
import { ElForm, ElFormItem } from 'element-plus/es/components/form/index'
import 'element-plus/es/components/form/style/css'
import 'element-plus/es/components/form-item/style/css'
import { ElInput } from 'element-plus/es/components/input/index'
import 'element-plus/es/components/input/style/css'
import { ElSelectV2 } from 'element-plus/es/components/select-v2/index'
import 'element-plus/es/components/select-v2/style/css'
import { computed, ref } from 'vue'
import type { PersonListed, TeamBody, TeamView } from '#contract'
import { api } from '../../../parts/data/api'
import { useResource } from '../../../parts/data/resource'
import { useChecked } from '../../../parts/ui/checked'
import { done } from '../../../parts/ui/notify'

/** What a team is called and who is in it. */
const props = defineProps<{ team: TeamView | null }>()
const emit = defineEmits<{ close: []; changed: [] }>()
const people = useResource(() => api.get<PersonListed[]>('/people'))
const options = computed(() =>
  (people.data.value ?? [])
    .filter(({ access, deactivatedAt }) => access !== 'contact' && deactivatedAt === null)
    .map(({ id, name }) => ({ value: id, label: name })),
)
const name = ref(props.team?.name ?? '')
const members = ref(props.team?.members.map(({ id }) => id) ?? [])
const body = (): TeamBody => ({ name: name.value.trim(), memberIds: members.value })
const { faults, send } = useChecked(async () => (await import('#contract')).teamBodySchema, body)
const busy = ref(false)
async function save(): Promise<void> {
  busy.value = true
  const saved = await send(() => (props.team ? api.put(`/teams/${props.team.id}`, body()) : api.post('/teams', body())))
  busy.value = false
  if (!saved) return
  done(props.team ? 'Changed.' : `${name.value.trim()} can be told now.`)
  emit('changed')
}
</script>

<template>
  <ElDialog :model-value="true" :title="team ? `Change ${team.name}` : 'Add a team'" width="560" append-to-body @close="emit('close')">
    <ElForm label-width="100px" label-position="left" @submit.prevent="save">
      <ElFormItem label="Name" :error="faults.name"><ElInput v-model="name" maxlength="60" autocomplete="off" /></ElFormItem>
      <ElFormItem label="People" :error="faults.memberIds">
        <ElSelectV2 v-model="members" multiple filterable :options="options" :item-height="30" placeholder="who is in it?" aria-label="People" />
      </ElFormItem>
      <div class="row">
        <button class="btn main" :disabled="busy">{{ team ? 'Change' : 'Add' }}</button>
        <button type="button" class="btn" @click="emit('close')">Cancel</button>
      </div>
    </ElForm>
  </ElDialog>
</template>

<style scoped>
.row {
  display: flex;
  gap: 8px;
}
</style>
