import { createRouter, createWebHistory } from "vue-router";

export const router = createRouter({
  history: createWebHistory(),
  routes: [
    { path: "/models/:model(.*)?", name: "models", component: () => import("./models/ModelsScreen.vue") },
    { path: "/knowledge/:collection?/:document?", name: "knowledge", component: () => import("./knowledge/KnowledgeScreen.vue") },
    { path: "/tools/:tool?", name: "tools", component: () => import("./tools/ToolsScreen.vue") },
    { path: "/", name: "desk", component: () => import("./desk/DeskScreen.vue") },
    {
      path: "/subjects/:name",
      component: () => import("./frame/SubjectFrame.vue"),
      children: [
        { path: "", redirect: { name: "draft" } },
        { path: "draft", name: "draft", component: () => import("./draft/DraftOf.vue") },
        { path: "cases/:number(\\d+)?", name: "cases", component: () => import("./cases/CasesScreen.vue") },
        { path: "trial/:id(\\d+)?", name: "trial", component: () => import("./trial/TrialScreen.vue") },
        { path: "checks", name: "checks", component: () => import("./checks/ChecksScreen.vue") },
        { path: "verdict/:id(\\d+)?", name: "verdict", component: () => import("./verdict/VerdictScreen.vue") },
      ],
    },
    { path: "/:rest(.*)*", name: "nowhere", component: () => import("./frame/NowhereScreen.vue") },
  ],
});

router.afterEach((to) => {
  const subject = typeof to.params.name === "string" ? `${to.params.name} · ` : "";
  document.title = `${subject}${to.name === "desk" ? "Desk" : String(to.name)} · Epistem`;
});
