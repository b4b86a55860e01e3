<script setup lang="ts">
import { computed, ref, shallowRef } from 'vue'
import { useRouter } from 'vue-router'
import type { TargetMatches, TemplateSummary } from '#contract'
import {
  countText,
  fromLibrary,
  libraryTemplates,
  valueText,
  watchKind,
  type PolicyStep,
  type LibraryTemplate,
  type Target,
} from '#core'
import { done } from '../../../parts/ui/notify'
import RuleSentence from '../../../parts/ui/RuleSentence.vue'
import { useSession } from '../../../parts/data/session'
import { usePolicyChange } from '../impact/change'
import { valuesOf } from '../impact/draft'
import ImpactView from '../impact/ImpactView.vue'
import TargetBuilder from '../target/TargetBuilder.vue'

/** Templates to start from: each value with its reason, and everything that one would add before it is applied. */
const props = defineProps<{ taken: TemplateSummary[] }>()
const session = useSession()
const router = useRouter()
const open = shallowRef<LibraryTemplate>(libraryTemplates[0]!)
const target = ref<Target>(open.value.suits)
const matches = ref<TargetMatches | null>(null)
const applying = ref(false)
const takenAs = computed(() => props.taken.find((template) => template.name.toLowerCase() === open.value.name.toLowerCase()))
function choose(template: LibraryTemplate): void {
  open.value = template
  target.value = template.suits
  applying.value = false
}
const steps = computed((): PolicyStep[] | null => {
  if (!applying.value || !matches.value || matches.value.faults.length) return null
  const assignment: PolicyStep = {
    of: 'assignment',
    id: -2,
    basedOn: 0,
    to: {
      templateId: takenAs.value?.id ?? -1,
      target: target.value,
      rank: 100,
      values: {},
      dormant: false,
      reason: 'From the library',
      reviewAt: null,
    },
  }
  return takenAs.value
    ? [assignment]
    : [{ of: 'template', id: -1, basedOn: 0, note: 'From the library', to: fromLibrary(open.value) }, assignment]
})
const change = usePolicyChange(steps)
const { impact, counting, fault, busy } = change
async function apply(): Promise<void> {
  if (!impact.value) return
  const saved = await change.save()
  if ('code' in saved) return
  done('Applied. The devices have it.')
  await router.push(`/policy/${takenAs.value?.id ?? saved.ids[0]!}`)
}
const reasonsOf = (watch: LibraryTemplate['watches'][number]) =>
  watchKind(watch.kind)
    .parameters.filter((parameter) => watch.reasons[parameter.name])
    .map((parameter) => ({
      name: parameter.name,
      value: valueText(parameter, watch.values[parameter.name] ?? parameter.default),
      label: parameter.label,
      why: watch.reasons[parameter.name]!,
    }))
</script>

<template>
  <div class="library">
    <ul class="list">
      <li v-for="template in libraryTemplates" :key="template.name">
        <button :class="{ on: template === open }" @click="choose(template)">
          <b>{{ template.name }}</b>
          <span class="muted">{{ countText(template.watches.length, 'watch', 'watches') }}</span>
        </button>
      </li>
    </ul>
    <div class="shown">
      <div class="head"><h2>{{ open.name }}</h2><span class="muted">{{ open.description }}</span></div>
      <p v-if="takenAs" class="muted">It is among your templates already:
        <RouterLink :to="`/policy/${takenAs.id}`">{{ takenAs.name }}, revision {{ takenAs.revision }}</RouterLink>, on
        {{ countText(takenAs.deviceCount, 'device') }}. Applying assigns that one.</p>
      <div v-for="watch in open.watches" :key="watch.key" class="watch">
        <RuleSentence :parts="watchKind(watch.kind).sentence(valuesOf(watch))" />
        <p class="faint">{{ watch.why }}<template v-if="watch.osFamilies.length"> Only on
            {{ watch.osFamilies.map((os) => (os === 'linux' ? 'Linux' : 'Windows')).join(', ') }}.</template></p>
        <dl v-if="reasonsOf(watch).length">
          <template v-for="reason in reasonsOf(watch)" :key="reason.name">
            <dt>{{ reason.label }} <b>{{ reason.value }}</b></dt>
            <dd class="muted">{{ reason.why }}</dd>
          </template>
        </dl>
        <p v-else class="faint">Every value is the default of the watch.</p>
      </div>
    </div>
    <aside v-if="session.isLead">
      <button v-if="!applying" class="btn main" @click="applying = true">Apply it…</button>
      <form v-else @submit.prevent="apply">
        <p class="muted">To every device that matches</p>
        <TargetBuilder
          :key="open.name"
          :target="target"
          @change="(emitted) => { target = emitted; matches = null }"
          @matches="(emitted) => { matches = emitted }"
        />
        <ImpactView :impact="impact" :counting="counting" title="It would add" :busy="steps !== null && !fault" />
        <p v-if="fault" class="critical" role="alert">{{ fault }}</p>
        <p class="row">
          <button class="btn main" :disabled="!impact || busy">Apply to
            {{ matches && !matches.faults.length ? countText(matches.devices, 'device') : '…' }}</button>
          <button type="button" class="btn" @click="applying = false">Cancel</button>
        </p>
      </form>
    </aside>
  </div>
</template>

<style scoped>
.library {
  display: grid;
  grid-template-columns: 190px 1fr 340px;
  gap: 26px;
  padding-top: 12px;
}
@media (max-width: 900px) {
  .library {
    grid-template-columns: minmax(0, 1fr);
  }
}
.list {
  list-style: none;
  margin: 0;
  padding: 0;
}
.list button {
  border: 0;
  background: none;
  padding: 5px 0;
  width: 100%;
  text-align: left;
  cursor: pointer;
  display: flex;
  justify-content: space-between;
  border-bottom: 1px solid var(--rule2);
}
.list b {
  font-weight: 400;
}
.list .on b {
  font-weight: 600;
  color: var(--act);
}
.watch {
  padding: 8px 0;
  border-bottom: 1px solid var(--rule2);
}
dl {
  margin: 5px 0 0;
  display: grid;
  grid-template-columns: minmax(150px, auto) 1fr;
  gap: 1px 14px;
  font-size: 13px;
}
dd {
  margin: 0;
}
form {
  display: grid;
  gap: 10px;
}
.row {
  display: flex;
  gap: 8px;
}
</style>
