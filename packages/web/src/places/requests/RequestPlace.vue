<script setup lang="ts">
import { useRoute } from 'vue-router'
import AlertCallouts from '../rounds/AlertCallouts.vue'
import TakeFromMail from '../rounds/TakeFromMail.vue'
import TrailSection from '../setup/trail/TrailSection.vue'
import RequestBody from './RequestBody.vue'

/** A request with an address of its own: to be sent, and opened from a mail. */
const id = Number(useRoute().params.id)
</script>

<template>
  <article class="page">
    <RequestBody :id="id">
      <template #default="{ request, refresh }">
        <TakeFromMail of="request" :subject="request" @changed="refresh" />
      </template>
      <template #after="{ request }">
        <AlertCallouts of="request" :id="id" :zone="request.zone" :is-over="request.status === 'closed'" />
        <TrailSection :id="id" kind="request" :topics="['requests']" />
      </template>
    </RequestBody>
  </article>
</template>
