<script setup lang="ts">
import { computed } from 'vue'
import type { WindowView } from '#contract'
import { repeatWords } from '#core'
import { lengthText } from '../../../parts/format/time'
import { subjectText } from '../subjectWords'

/** What a window is, in one sentence. */
const props = defineProps<{ window: WindowView }>()
const time = computed(() => props.window.starts.slice(11, 16))
const date = computed(() => props.window.starts.slice(0, 10))
const length = computed(() => (props.window.length === null ? 'with no end' : `for ${lengthText(props.window.length)}`))
</script>

<template>
  <p class="sentence">Hold <b>{{ subjectText(window.subject) }}</b> of <b>{{ window.targetText }}</b>
    <template v-if="window.rule"> at <b>{{ time }}</b> {{ length }}, <b>{{ repeatWords(window.rule) }}</b>,</template>
    <template v-else> from <b>{{ date }} {{ time }}</b> {{ length }},</template>
    on the clocks of <b>{{ window.zone }}</b>.</p>
</template>
