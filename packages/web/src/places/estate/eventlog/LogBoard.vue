<script setup lang="ts">
import { useSession } from '../../../parts/data/session'
import EstateParts from '../EstateParts.vue'
import LogSearch from './LogSearch.vue'

/** The log of a client, or of everyone. */
const session = useSession()
</script>

<template>
  <div class="page">
    <div class="head">
      <h1>Estate</h1>
      <span class="muted">the log of {{ session.client?.name ?? 'every client' }}</span>
    </div>
    <EstateParts />
    <LogSearch />
  </div>
</template>
