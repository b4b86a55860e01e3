import { ref } from 'vue'

/** Whether the server has said that nobody is signed in here any more: the session has ended, or somebody ended it. */
export const hasEnded = ref(false)
