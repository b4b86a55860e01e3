<script setup lang="ts">
import { ElInput } from 'element-plus/es/components/input/index'
import 'element-plus/es/components/input/style/css'
import { computed, ref } from 'vue'
import { ApiError, api } from '../../parts/data/api'
import { useResource } from '../../parts/data/resource'
import StateNotice from '../../parts/ui/StateNotice.vue'
import { exampleOf, operationsOf, type Described, type Operation } from './operations'

/** What programs can ask, from the description that the server makes of itself; what reads can be tried here. */
const { data, error, refresh } = useResource(() => api.get<Described>('/openapi.json'))
const words = ref('')
const subjects = computed(() => {
  const asked = words.value.trim().toLowerCase()
  return [...(data.value ? operationsOf(data.value) : [])].flatMap(([subject, operations]) => {
    const some = operations.filter(({ method, path, summary }) => `${method} ${path} ${summary}`.toLowerCase().includes(asked))
    return some.length ? [{ subject, operations: some }] : []
  })
})
const open = ref('')
const origin = window.location.origin
const answers = ref<Record<string, string>>({})
const longest = 4000
/** What needs no number, changes nothing and ends. */
const canTry = ({ method, path, answer }: Operation) => method === 'GET' && !path.includes('{') && answer !== null && path.startsWith('/api/')
async function tryIt({ key, path }: Operation): Promise<void> {
  let text: string
  try {
    text = JSON.stringify(await api.get(path.replace('/api', '')), null, 2)
  } catch (problem) {
    if (!(problem instanceof ApiError)) throw problem
    text = JSON.stringify(problem.problem, null, 2)
  }
  answers.value = { ...answers.value, [key]: text.length > longest ? `${text.slice(0, longest)}\n… and ${text.length - longest} more characters` : text }
}
</script>

<template>
  <div class="page">
    <div class="head"><h1>What programs can ask</h1><span class="muted">OpenAPI 3.0: <a href="/api/openapi.json" download="custode-openapi.json">openapi.json</a> · tokens are made in <RouterLink to="/setup?part=tokens">Setup</RouterLink> or on <RouterLink to="/me">your page</RouterLink></span></div>
    <p class="tools"><ElInput v-model="words" aria-label="Narrow by words" placeholder="narrow by words" clearable class="narrow" /></p>
    <p class="muted">Times are milliseconds since 1970 (UTC). What is refused says why (RFC 9457, application/problem+json). Lists come in parts. What has a past takes Accept-Datetime (RFC 7089).</p>
    <StateNotice :error="error" :loading="!data" :empty="data && !subjects.length ? `Nothing has “${words.trim()}”.` : ''" @again="refresh" />
    <section v-for="{ subject, operations } in subjects" :key="subject" :aria-label="subject">
      <h2>{{ subject }}</h2>
      <div v-for="operation in operations" :key="operation.key" class="operation">
        <button class="line" :aria-expanded="open === operation.key" @click="open = open === operation.key ? '' : operation.key"><span class="mono method">{{ operation.method }}</span><span class="mono path">{{ operation.path }}</span><span>{{ operation.summary }}</span><span class="faint">{{ operation.access }}</span></button>
        <div v-if="open === operation.key" class="detail">
          <pre class="mono">{{ exampleOf(operation, origin) }}</pre>
          <p v-if="operation.parameters.length">Takes <template v-for="(parameter, i) in operation.parameters" :key="parameter.name">{{ i ? ', ' : '' }}<span class="mono">{{ parameter.name }}</span> <span class="faint">({{ parameter.in }})</span></template></p>
          <details v-if="operation.body"><summary>What it takes</summary><pre class="mono">{{ JSON.stringify(operation.body, null, 2) }}</pre></details>
          <details v-if="operation.answer"><summary>What it answers</summary><pre class="mono">{{ JSON.stringify(operation.answer, null, 2) }}</pre></details>
          <p v-if="canTry(operation)"><button class="btn" @click="tryIt(operation)">Try it as yourself</button></p>
          <pre v-if="answers[operation.key]" class="mono answer" tabindex="0" aria-label="What it answered">{{ answers[operation.key] }}</pre>
        </div>
      </div>
    </section>
  </div>
</template>

<style scoped>
.head a {
  text-decoration: underline;
}
.tools {
  margin: 8px 0;
}
.narrow {
  width: 240px;
}
h2 {
  margin: 16px 0 2px;
}
.operation {
  border-bottom: 1px solid var(--rule2);
}
.line {
  display: grid;
  grid-template-columns: 62px minmax(180px, 2fr) minmax(0, 4fr) 90px;
  gap: 12px;
  width: 100%;
  border: 0;
  background: none;
  padding: 4px 0;
  text-align: left;
  cursor: pointer;
}
.line:hover {
  background: var(--sheet);
}
.path {
  overflow-wrap: anywhere;
}
.detail {
  padding: 4px 0 10px 74px;
}
pre {
  margin: 4px 0;
  padding: 6px 10px;
  background: var(--sheet);
  white-space: pre-wrap;
  overflow-wrap: anywhere;
}
.answer {
  max-height: 320px;
  overflow: auto;
}
</style>
