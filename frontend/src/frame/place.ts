import { ref } from "vue";

/** The subject that was looked at last, and where: the way back from screens that belong to none. */
export const lastPlace = ref<{ name: string; path: string } | null>(null);
