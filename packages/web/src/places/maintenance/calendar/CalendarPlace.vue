<script setup lang="ts">
import { useClientInAddress } from '../../../parts/data/clientInAddress'
import { useSession } from '../../../parts/data/session'
import CalendarFeeds from './CalendarFeeds.vue'
import CalendarFile from './CalendarFile.vue'

/** Calendars both ways: what is planned goes out as feeds and files, and comes in from files. */
const session = useSession()
useClientInAddress()
</script>

<template>
  <div class="page">
    <p><RouterLink to="/maintenance">Maintenance</RouterLink></p>
    <div class="head"><h1>Calendars</h1>
      <span class="muted">What is planned, in iCalendar: for {{ session.client?.name ?? 'every client that you see' }}</span></div>
    <CalendarFeeds />
    <section>
      <h2>As a file</h2>
      <p>Rules, zones, exceptions and changed times go with it, and can be taken in again.
        <a
          class="btn"
          :href="`/api/calendar.ics${session.clientId === null ? '' : `?client=${session.clientId}`}`"
          download
        >Download</a></p>
    </section>
    <CalendarFile v-if="session.mayChange" />
  </div>
</template>

<style scoped>
section {
  margin-top: 18px;
}
</style>
