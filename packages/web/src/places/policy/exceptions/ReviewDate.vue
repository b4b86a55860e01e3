<script setup lang="ts">
import { ElDatePicker } from 'element-plus/es/components/date-picker/index'
import 'element-plus/es/components/date-picker/style/css'
import { computed } from 'vue'
import { hour, type Millis } from '#core'

/** A day at which somebody should look again; none is allowed. */
const props = defineProps<{ at: Millis | null }>()
const emit = defineEmits<{ change: [at: Millis | null] }>()
const day = computed(() => (props.at === null ? null : new Date(props.at)))
</script>

<template>
  <label class="review">Review on
    <ElDatePicker
    :model-value="day"
    type="date"
    format="YYYY-MM-DD"
    aria-label="Review on"
    placeholder="never"
    style="width: 140px"
    @update:model-value="(date: Date | null) => emit('change', date ? date.getTime() + 9 * hour : null)"
  /></label>
</template>

<style scoped>
.review {
  color: var(--ink2);
}
</style>
