<template>
  <div class="page"><h1>Nothing here</h1><p class="muted">There is no such page, or nothing that you may see. <RouterLink to="/rounds">Back to Rounds</RouterLink></p></div>
</template>
