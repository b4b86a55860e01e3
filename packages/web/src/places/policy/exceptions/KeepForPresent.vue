<script setup lang="ts">
import { ElInput } from 'element-plus/es/components/input/index'
import 'element-plus/es/components/input/style/css'
import { ref } from 'vue'
import { valueText, type Parameter, type ParameterValue } from '#core'
import { api } from '../../../parts/data/api'
import { attempt, done } from '../../../parts/ui/notify'

/** Lets the devices of today keep a value as an exception, before the template says something else. */
const props = defineProps<{ templateId: number; watchKey: string; parameter: Parameter; value: ParameterValue }>()
const emit = defineEmits<{ done: [] }>()
const asking = ref(false)
const reason = ref('')
async function keep(): Promise<void> {
  const made = await attempt(() =>
    api.post<{ devices: number }>(`/templates/${props.templateId}/keep`, {
      watch: props.watchKey,
      parameter: props.parameter.name,
      reason: reason.value,
    }),
  )
  if (!made) return
  done(`${made.devices} devices keep ${valueText(props.parameter, props.value)} as an exception of their own.`)
  emit('done')
}
</script>

<template>
  <div class="keep">
    <button v-if="!asking" type="button" class="link" @click="asking = true">Make {{ valueText(parameter, value) }} an
      exception for today’s devices…</button>
    <form v-else @submit.prevent="keep">
      <p class="faint">The devices that follow it now keep it, whatever the template says later.</p>
      <ElInput v-model="reason" aria-label="Reason" placeholder="Why" required minlength="3" />
      <button class="btn">Keep it for them</button>
    </form>
  </div>
</template>

<style scoped>
.keep .link {
  text-align: left;
}
.keep {
  border-top: 1px solid var(--rule2);
  margin-top: 8px;
  padding-top: 6px;
}
form {
  display: grid;
  gap: 6px;
}
input {
  font: inherit;
  color: var(--ink);
  background: var(--field);
  border: 1px solid var(--ink2);
  border-radius: 3px;
  padding: 3px 8px;
}
</style>
