<template>
  <div class="page">
    <h1>No such page</h1>
    <p class="muted">This page does not exist, or you may not see it.
      <RouterLink to="/rounds">Back to Rounds</RouterLink></p>
  </div>
</template>
