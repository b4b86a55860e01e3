<script setup lang="ts">
import { ElInput } from 'element-plus/es/components/input/index'
import 'element-plus/es/components/input/style/css'
import { computed, ref } from 'vue'
import type { NewStandingRule, PersonListed, Role, StandingRulePreview } from '#contract'
import { countText, numberText, type DeviceKind, type OsFamily } from '#core'
import { useAnswer } from '../../../parts/data/answer'
import { api } from '../../../parts/data/api'
import { done } from '../../../parts/ui/notify'
import { useResource } from '../../../parts/data/resource'
import { useSession } from '../../../parts/data/session'
import FaultLines from '../../../parts/ui/FaultLines.vue'
import { useChecked } from '../../../parts/ui/checked'
import ChoiceField from '../../../parts/ui/ChoiceField.vue'

/** A standing rule as a sentence, with what it would have met today beside it. */
const emit = defineEmits<{ close: [] }>()
const session = useSession()
const roles = useResource(() => api.get<Role[]>('/roles'))
const people = useResource(() => api.get<PersonListed[]>('/people'))
const kind = ref<DeviceKind | ''>('')
const osFamily = ref<OsFamily | ''>('')
const place = ref('')
const namePattern = ref('')
const network = ref('')
const role = ref('')
const tags = ref('')
const takeDetected = ref(true)
const notify = ref<number | ''>(session.person?.id ?? '')
const name = ref('')
const body = computed((): NewStandingRule => {
  const [what, id] = place.value.split(' ')
  return {
    name: name.value.trim() || 'Newcomers',
    when: {
      clientId: what === 'client' ? Number(id) : null,
      siteId: what === 'site' ? Number(id) : null,
      kind: kind.value || null,
      osFamily: osFamily.value || null,
      namePattern: namePattern.value.trim() || null,
      network: network.value.trim() || null,
    },
    roles: role.value ? [role.value] : [],
    tags: tags.value
      .split(',')
      .map((part) => part.trim())
      .filter(Boolean),
    takeDetected: takeDetected.value,
    notify: notify.value === '' ? [] : [notify.value],
  }
})
const {
  answer: preview,
  error: fault,
  asking: counting,
} = useAnswer(body, (rule) => api.post<StandingRulePreview>('/standing-rules/preview', rule))
const { faults, send } = useChecked(async () => (await import('#contract')).newStandingRuleSchema, () => body.value)
async function save(): Promise<void> {
  if (!(await send(() => api.post('/standing-rules', body.value)))) return
  done('Saved. It applies to every device that enrols from now on.')
  emit('close')
}
</script>

<template>
  <div class="two">
    <form @submit.prevent="save">
      <p class="sentence">Give every new
        <ChoiceField v-model="osFamily" label="System">
          <option value="">Linux or Windows</option>
          <option value="linux">Linux</option>
          <option value="windows">Windows</option>
        </ChoiceField>
        <ChoiceField v-model="kind" label="Kind">
          <option value="">device</option>
          <option>server</option>
          <option>workstation</option>
        </ChoiceField> at
        <ChoiceField v-model="place" label="Place">
          <option value="">every client</option>
          <template v-for="client in session.clients" :key="client.id">
            <option :value="`client ${client.id}`">{{ client.name }}</option>
            <option v-for="site in client.sites" :key="site.id" :value="`site ${site.id}`">{{ client.name }} ·
              {{ site.name }}</option>
          </template>
        </ChoiceField> named <ElInput v-model="namePattern" aria-label="Name pattern" placeholder="anything" /> in
        <ElInput v-model="network" aria-label="Network" placeholder="any network" />:
        <ChoiceField v-model="role" label="Role">
          <option value="">no role</option>
          <option v-for="role in roles.data.value" :key="role.id" :value="role.id">the role {{ role.name }}</option>
        </ChoiceField>, <ElInput v-model="tags" aria-label="Tags" placeholder="no tags" />,
        <ChoiceField v-model="takeDetected" label="Roles seen">
          <option :value="true">every role seen there</option>
          <option :value="false">roles seen only once a person accepts them</option>
        </ChoiceField>; notify
        <ChoiceField v-model="notify" label="Notify">
          <option value="">nobody</option>
          <option v-for="person in people.data.value" :key="person.id" :value="person.id">{{ person.name }}</option>
        </ChoiceField>.</p>
      <label class="sentence">Called <ElInput v-model="name" aria-label="Name" placeholder="Newcomers" maxlength="100" /></label>
      <p v-if="fault" class="critical" role="alert">{{ fault.message }}</p>
      <FaultLines v-else :faults="faults" :fields="{ name: 'Name', when: 'Name pattern', then: 'Tags' }" />
      <div class="row">
        <button class="btn main" :disabled="!preview || counting">Save rule</button>
        <button type="button" class="btn" @click="emit('close')">Cancel</button>
      </div>
    </form>
    <aside aria-label="Preview">
      <p class="muted">If it had applied when today’s devices enrolled</p>
      <template v-if="preview">
        <p class="big">{{ countText(preview.matching, 'device') }}</p>
        <p class="muted">{{ preview.gaining }} of them would have more than now; none is changed</p>
        <ul>
          <li v-for="device in preview.devices.slice(0, 8)" :key="device.id"><span class="mono">{{ device.name }}</span> <span class="muted">{{ [...device.roles, ...device.tags].join(', ') }}</span></li>
        </ul>
        <p v-if="preview.matching > 8" class="muted">and {{ numberText(preview.matching - Math.min(8, preview.devices.length)) }} more</p>
      </template>
      <p v-else class="muted">…</p>
    </aside>
  </div>
</template>

<style scoped>
.two {
  display: grid;
  grid-template-columns: 1fr 280px;
  gap: 28px;
  border-left: 2px solid var(--act);
  padding-left: 14px;
  margin: 8px 0 14px;
}
@media (max-width: 900px) {
  .two {
    grid-template-columns: minmax(0, 1fr);
  }
}
form {
  display: grid;
  gap: 10px;
  align-content: start;
}
.sentence {
  line-height: 34px;
}
input {
  width: 120px;
  font-weight: 400;
}
.row {
  display: flex;
  gap: 8px;
}
.big {
  font: 600 26px/34px var(--serif);
}
ul {
  list-style: none;
  padding: 0;
  margin: 8px 0 0;
}
li {
  padding: 2px 0;
}
</style>
