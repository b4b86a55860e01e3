<script setup lang="ts">
import { useSession } from '../../parts/data/session'
import TokensPart from '../setup/tokens/TokensPart.vue'
import { accessWords } from '../setup/people/accessWords'
import OwnName from './OwnName.vue'
import OwnSecondFactor from './OwnSecondFactor.vue'
import OwnPassword from './OwnPassword.vue'
import OwnReach from './OwnReach.vue'
import OwnSessions from './OwnSessions.vue'

/** What one may do, where one is signed in, and by what. */
const session = useSession()
const reload = () => window.location.assign('/rounds')
</script>

<template>
  <div class="page">
    <div v-if="session.person" class="head"><h1>{{ session.person.name }}</h1><span class="muted">{{ session.person.email }} · may {{ accessWords[session.person.access] }} · sees
      {{ session.person.clientIds === null ? 'every client' : session.clients.map(({ name }) => name).join(', ') }}</span></div>
    <template v-if="session.person?.isFactorDue">
      <p class="warning">Your house asks a second factor of you. Set one up; then everything is open to you.</p>
      <OwnSecondFactor @done="reload" />
    </template>
    <template v-else>
    <template v-if="session.isStaff">
      <h2>When something is wrong</h2>
      <OwnReach />
    </template>
    <h2>Name</h2>
    <OwnName />
    <h2>Signed in</h2>
    <OwnSessions />
    <h2>Second factor</h2>
    <OwnSecondFactor />
    <h2>Password</h2>
    <OwnPassword />
    <template v-if="session.isStaff && !session.isLead">
      <h2>Tokens</h2>
      <TokensPart />
    </template>
    </template>
  </div>
</template>

<style scoped>
h2 {
  margin: 20px 0 8px;
}
</style>
