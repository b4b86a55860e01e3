<script setup lang="ts">
import { computed, ref } from 'vue'
import type { MadeFeed, NewFeed, TeamView } from '#contract'
import { countText, day } from '#core'
import { api } from '../../../parts/data/api'
import { useResource } from '../../../parts/data/resource'
import { useSession } from '../../../parts/data/session'
import { exactText, fullText } from '../../../parts/format/time'
import { confirmed } from '../../../parts/ui/confirm'
import { attempt, done } from '../../../parts/ui/notify'
import StateNotice from '../../../parts/ui/StateNotice.vue'
import SwapDialog from './SwapDialog.vue'
import TeamDialog from './TeamDialog.vue'
import TurnLane from './TurnLane.vue'
import TurnsDialog from './TurnsDialog.vue'

/** Who works together, and who of them is on call. */
const session = useSession()
const mayChange = computed(() => session.isLead && session.person?.clientIds === null)
const { data: teams, error, refresh } = useResource(() => api.get<TeamView[]>('/teams'), { topics: ['callouts', 'people'] })
const from = ref(Date.now())
const until = computed(() => from.value + 28 * day)
const changing = ref<TeamView | null>()
const turning = ref<TeamView>()
const swapping = ref<TeamView>()
async function remove(team: TeamView): Promise<void> {
  if (!(await confirmed(`${team.name} is not there any more to be told. Its people stay.`, 'Remove'))) return
  if (!(await attempt(() => api.delete(`/teams/${team.id}`)))) return
  done(`${team.name} is removed.`)
  await refresh()
}
const feed = ref<{ name: string; address: string } | null>(null)
async function makeFeed({ id, name }: TeamView): Promise<void> {
  const body: NewFeed = { clientId: null, label: `Turns of ${name}`, teamId: id }
  const made = await attempt(() => api.post<MadeFeed>('/calendar-feeds', body))
  if (made) feed.value = { name, address: `${location.origin}${made.path}` }
}
async function takeBack(id: number): Promise<void> {
  if (!(await attempt(() => api.delete(`/swaps/${id}`)))) return
  done('The swap is taken back.')
  await refresh()
}
async function changed(): Promise<void> {
  changing.value = turning.value = swapping.value = undefined
  from.value = Date.now()
  await refresh()
}
</script>

<template>
  <div>
    <p class="tools"><button v-if="mayChange" class="btn main" @click="changing = null">Add a team</button></p>
    <StateNotice :error="error" :loading="!teams" :empty="teams && !teams.length ? 'No team yet. A call-out rule can tell a team, and who of it is on call.' : ''" @again="refresh" />
    <article v-for="team in teams ?? []" :key="team.id" :aria-label="team.name">
      <div class="head2">
        <h3>{{ team.name }}</h3>
        <span><template v-for="(member, i) in team.members" :key="member.id"><template v-if="i">, </template>{{ member.name }}<span v-if="member.awayUntil" class="warning" :title="exactText(member.awayUntil)"> (away until {{ fullText(member.awayUntil) }})</span></template><span v-if="!team.members.length" class="warning">nobody is in it: the leads are told in its place</span></span>
        <span class="acts">
          <button v-if="team.rotation" class="link" :aria-label="`Calendar feed of the turns of ${team.name}`" @click="makeFeed(team)">calendar feed</button>
          <button v-if="team.rotation" class="link" :aria-label="`Swap a turn of ${team.name}`" @click="swapping = team">swap a turn</button>
          <template v-if="mayChange">
            <button class="link" :aria-label="`${team.rotation ? 'Turns' : 'Take turns'}: ${team.name}`" @click="turning = team">{{ team.rotation ? 'turns' : 'take turns' }}</button>
            <button class="link" :aria-label="`Change ${team.name}`" @click="changing = team">change</button>
            <button class="link" :aria-label="`Remove ${team.name}`" @click="remove(team)">remove</button>
          </template>
        </span>
      </div>
      <p v-if="feed?.name === team.name" role="status">A calendar that reads <span class="mono address">{{ feed.address }}</span> shows these turns. The address is shown once; whoever has it can read them. <RouterLink to="/maintenance/calendar">Revoke feeds</RouterLink></p>
      <template v-if="team.rotation">
        <p>On call now: <b>{{ team.onCall ?? 'nobody, turns have not begun' }}</b><template v-if="team.turns[0]"> until <time :title="exactText(team.turns[0].until, team.rotation.zone)">{{ fullText(team.turns[0].until) }}</time></template></p>
        <TurnLane :turns="team.turns" :from="from" :until="until" :zone="team.rotation.zone" :label="`Turns of ${team.name}, four weeks`" />
        <p v-for="swap in team.swaps" :key="swap.id" class="muted">Swap: {{ swap.name }} from {{ fullText(swap.from) }} to {{ fullText(swap.until) }}
          <button class="link" @click="takeBack(swap.id)">take it back</button></p>
      </template>
      <p v-else class="faint">No turns: all of them are told.</p>
    </article>
    <p v-if="teams?.length" class="faint">{{ countText(teams.length, 'team') }}.</p>
    <TeamDialog v-if="changing !== undefined" :team="changing" @close="changing = undefined" @changed="changed" />
    <TurnsDialog v-if="turning" :team="turning" @close="turning = undefined" @changed="changed" />
    <SwapDialog v-if="swapping" :team="swapping" @close="swapping = undefined" @changed="changed" />
  </div>
</template>

<style scoped>
.tools {
  margin: 12px 0;
}
article {
  border-top: 1px solid var(--rule);
  padding: 8px 0 12px;
}
.head2 {
  display: flex;
  gap: 14px;
  align-items: baseline;
  flex-wrap: wrap;
}
.address {
  overflow-wrap: anywhere;
  user-select: all;
}
.acts {
  margin-left: auto;
  display: flex;
  gap: 12px;
}
</style>
