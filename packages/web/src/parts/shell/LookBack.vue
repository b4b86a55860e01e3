<script setup lang="ts">
import { ElDatePicker } from 'element-plus/es/components/date-picker/index'
import 'element-plus/es/components/date-picker/style/css'
import { computed } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import type { PastKept } from '#contract'
import { day, hour } from '#core'
import { api } from '../data/api'
import { asOf, overBy } from '../data/asOf'
import { useResource } from '../data/resource'
import { exactText } from '../format/time'
import { lookBackTo } from './lookBack'

/** Says that the page shows how it was, and leads to other times and back to now. */
const route = useRoute()
const router = useRouter()
const to = (at: number) => lookBackTo(router, overBy(at, Date.now()))
const time = computed({
  get: () => new Date(asOf.value ?? 0),
  set: (chosen: Date | null) => {
    if (chosen) to(chosen.getTime())
  },
})
const kept = useResource(() => api.get<PastKept>('/past'))
/** Nothing is known of it: what is not there was not well. */
const isTooLongAgo = computed(() => asOf.value !== null && kept.data.value !== null && asOf.value < kept.data.value.since)
const isToCome = (at: Date) => at.getTime() > Date.now() || at.getTime() < (kept.data.value?.since ?? 0) - day
</script>

<template>
  <section v-if="asOf !== null" class="band" aria-label="Looking back" role="status">
    <span><b>{{ route.meta.place }}</b> as it was on <b>{{ exactText(asOf) }}</b>. Nothing can be changed from here.
      <b v-if="isTooLongAgo" class="critical">Nothing is kept of that time: the oldest is of {{ exactText(kept.data.value!.since) }}. That a page is empty says nothing.</b></span>
    <span class="end">
      <button class="link" title="a day earlier" @click="to(asOf - day)">− 1 d</button>
      <button class="link" title="an hour earlier (p)" @click="to(asOf - hour)">− 1 h</button>
      <ElDatePicker
        v-model="time"
        type="datetime"
        size="small"
        format="YYYY-MM-DD HH:mm:ss"
        aria-label="As of when"
        :clearable="false"
        :disabled-date="isToCome"
        style="width: 172px"
      />
      <button class="link" title="an hour later" @click="to(asOf + hour)">+ 1 h</button>
      <button class="link" title="a day later" @click="to(asOf + day)">+ 1 d</button>
      <button class="btn" @click="lookBackTo(router, null)">Back to now <kbd>n</kbd></button>
    </span>
  </section>
</template>

<style scoped>
.band {
  flex: none;
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 4px 20px;
  padding: 4px 20px;
  background: var(--act-pale, var(--sheet));
  border-bottom: 2px solid var(--act);
}
.end {
  margin-left: auto;
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 4px 12px;
}
</style>
