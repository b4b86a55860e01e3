<script setup lang="ts">
import { ElInput } from 'element-plus/es/components/input/index'
import 'element-plus/es/components/input/style/css'
import { computed, ref } from 'vue'
import {
  counterFault,
  counterLines,
  counterMetric,
  counterTroubleText,
  counterValue,
  FindTroubleError,
  Given,
  metrics,
  readCounter,
  readingText,
  shippedProgram,
  type Values,
} from '#core'
import ShortTable from '../../../parts/ui/ShortTable.vue'

/** What the lines of a watch find in what its program gives, while one types them. */
const props = defineProps<{ values: Values }>()
const given = ref('')
const known = computed(() => shippedProgram(String(props.values.program ?? '')))
const text = computed(() => new Given(given.value))

interface Tried {
  line: string
  name: string
  says: string
  isWrong: boolean
}

/** The numbers that a line finds, each with what it is of. */
function tried(line: string): Tried {
  const fault = counterFault(line)
  if (fault !== null) return { line, name: line, says: fault, isWrong: true }
  const counter = readCounter(line)
  const { unit } = metrics[counterMetric({ ...counter, perSecond: false })]
  const told = (says: string, isWrong = false): Tried => ({ line, name: counter.name, says, isWrong })
  if (!given.value.trim()) return told(line.slice(line.indexOf('=') + 1).trim())
  try {
    const found = text.value.find(counter)
    if (found === null) return told('is not there', true)
    if (!found.length) return told('none now')
    const each = found.map(({ part, value }) => {
      const words = value === null ? 'no number' : readingText(unit, counterValue(counter.unit, value, Date.now()))
      return part ? `${words} of ${part}` : words
    })
    return told(`${each.join(', ')}${counter.perSecond ? '; what counts is by how much it rises in a second' : ''}`)
  } catch (error) {
    if (!(error instanceof FindTroubleError)) throw error
    return told(counterTroubleText(error.trouble), true)
  }
}
const rows = computed(() => counterLines(props.values).map(tried))
const columns = [
  { key: 'name', title: 'Counter' },
  { key: 'says', title: 'Where it stands, or what is found' },
] as const
</script>

<template>
  <div class="trial">
    <label>Try them: what the program gives, such as the page as a browser shows it
      <ElInput v-model="given" type="textarea" :rows="2" class="mono" spellcheck="false" aria-label="What the program gives" />
    </label>
    <ShortTable v-if="rows.length" label="What is found" :rows="rows" :columns="columns" row-key="line">
      <template #name="{ row }"><span class="mono">{{ row.name }}</span></template>
      <template #says="{ row }"><span :class="{ critical: row.isWrong, mono: !given.trim() && !row.isWrong }">{{ row.says }}</span></template>
    </ShortTable>
    <p v-if="known?.needs" class="faint">{{ known.title }} needs: {{ known.needs }}</p>
  </div>
</template>

<style scoped>
.trial {
  border-top: 1px solid var(--rule2);
  padding-top: 6px;
  display: grid;
  gap: 6px;
}
label {
  display: grid;
  gap: 4px;
}
</style>
