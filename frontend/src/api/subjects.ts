import { keepPreviousData, useInfiniteQuery, useQueries, useQuery, useQueryClient } from "@tanstack/vue-query";
import { computed, type Ref, ref, toValue } from "vue";

import { api, got, ifMatch } from "./client";
import { keys } from "./keys";
import type { About, Chain, CheckUse, Example, Prompt, ReplyShape, FilesIn, NewSubject, SubjectLine, SubjectPage, VersionLine } from "./schema";
import { staleIn } from "./stale";

/** Subjects by name, or those with every word of `find`, a page at a time. */
export function useDesk(find: Ref<string> = ref("")) {
  return useInfiniteQuery({
    queryKey: keys.desk(find),
    queryFn: ({ pageParam }) => got(api.GET("/api/v1/subjects", { params: { query: { find: find.value || null, after: pageParam } } })),
    initialPageParam: "",
    getNextPageParam: (last) => (last.more ? (last.subjects.at(-1)?.name ?? null) : null),
    placeholderData: keepPreviousData,
  });
}

export function useStarters() {
  return useQuery({
    queryKey: keys.starters(),
    queryFn: () => got(api.GET("/api/v1/starters")),
    staleTime: Infinity,
  });
}

/** Chains to begin with. */
export function usePatterns() {
  return useQuery({ queryKey: keys.patterns(), queryFn: () => got(api.GET("/api/v1/patterns")), staleTime: Infinity });
}

export function useSettingsTable() {
  return useQuery({
    queryKey: keys.settings(),
    queryFn: () => got(api.GET("/api/v1/settings")),
    staleTime: Infinity,
  });
}

export function useSubject(name: Ref<string> | (() => string)) {
  return useQuery({
    queryKey: keys.subject(computed(() => toValue(name))),
    queryFn: () => got(api.GET("/api/v1/subjects/{name}", { params: { path: { name: toValue(name) } } })),
    enabled: computed(() => toValue(name) !== ""),
  });
}

/** Every version, newest first, without its content. */
export function useVersions(name: Ref<string>) {
  return useQuery({ queryKey: keys.versions(name), queryFn: () => allVersions(name.value) });
}

async function allVersions(name: string): Promise<VersionLine[]> {
  const lines: VersionLine[] = [];
  for (let more = true; more; ) {
    const query = { before: lines.at(-1)?.number ?? null };
    const page = await got(api.GET("/api/v1/subjects/{name}/versions", { params: { path: { name }, query } }));
    lines.push(...page.versions);
    more = page.more;
  }
  return lines;
}

/** A version with its content never changes, so it is fetched once. */
const versionQuery = (name: string, number: number) => ({
  queryKey: keys.version(name, number),
  queryFn: () => got(api.GET("/api/v1/subjects/{name}/versions/{number}", { params: { path: { name, number } } })),
  staleTime: Infinity,
});

export function useVersion(name: Ref<string>, number: Ref<number | null>) {
  return useQuery({
    queryKey: keys.version(name, number),
    queryFn: () => versionQuery(name.value, number.value as number).queryFn(),
    staleTime: Infinity,
    enabled: computed(() => number.value !== null),
  });
}

/** The content of a version of any kind, which never changes. */
export function useContentOf(wanted: () => { name: string; number: number; chain?: boolean } | null) {
  const asked = computed(wanted);
  return useQuery({
    queryKey: keys.content(computed(() => `${asked.value?.name}@${asked.value?.number}`)),
    queryFn: async (): Promise<Prompt | Chain> => {
      const { name, number, chain } = asked.value!;
      const params = { path: { name, number } };
      if (chain) return (await got(api.GET("/api/v1/subjects/{name}/chain/versions/{number}", { params }))).content;
      return (await got(api.GET("/api/v1/subjects/{name}/versions/{number}", { params }))).content;
    },
    staleTime: Infinity,
    enabled: computed(() => asked.value !== null),
  });
}

/** The contents of these versions as far as they are here, and a way to have one fetched. */
export function useVersionContents(name: string, numbers: () => number[]) {
  const queries = useQueryClient();
  const found = useQueries({ queries: computed(() => [...new Set(numbers())].map((number) => versionQuery(name, number))) });
  return {
    contentOf: (number: number) => found.value.find((each) => each.data?.number === number)?.data?.content ?? null,
    fetchContent: async (number: number) => (await queries.fetchQuery(versionQuery(name, number))).content,
  };
}

/** How each version did, looked up while `wanted`. */
export function useScores(name: Ref<string>, wanted: () => boolean) {
  return useQuery({
    queryKey: keys.scores(name),
    queryFn: () => got(api.GET("/api/v1/subjects/{name}/versions/scores", { params: { path: { name: name.value } } })),
    enabled: computed(wanted),
  });
}

/** What can be done with subjects; all that shows them is told. */
export function useSubjectChanges() {
  const queries = useQueryClient();
  const stale = staleIn(queries);
  return {
    create: async (body: NewSubject) => {
      const made = await got(api.POST("/api/v1/subjects", { body }));
      await stale.desk();
      return made;
    },
    setAbout: async ({ name, about_revision: revision }: SubjectLine, body: About) => {
      await got(api.PUT("/api/v1/subjects/{name}/about", { params: { path: { name }, header: ifMatch(revision) }, body }));
      await stale.desk();
    },
    setChecks: async ({ name, checks_revision: revision }: SubjectPage, checks: CheckUse[]) => {
      const params = { path: { name }, header: ifMatch(revision) };
      const kept = await got(api.PUT("/api/v1/subjects/{name}/checks", { params, body: { checks } }));
      queries.setQueryData(keys.subject(name), kept);
      return kept;
    },
    /** One more example at the end of the draft as it is kept; its number. */
    addExample: async (name: string, example: Example) => {
      const path = { name };
      const draft = await fetchDraft(name);
      const examples = [...(draft.content.examples ?? []), example];
      const params = { path, header: ifMatch(draft.revision) };
      await got(api.PUT("/api/v1/subjects/{name}/draft", { params, body: { ...draft.content, examples } }));
      await stale.draft(name);
      return examples.length;
    },
    /** Prompts out of files: what would become of each, or, with `apply`, what became. */
    takeFiles: async (body: FilesIn) => {
      const done = await got(api.POST("/api/v1/files", { body }));
      if (body.apply) await stale.all();
      return done.results;
    },
  };
}

export const fetchDraft = (name: string) => got(api.GET("/api/v1/subjects/{name}/draft", { params: { path: { name } } }));
/** The inputs that a draft of any kind asks for, and the shape of its answer. */
export async function fetchAsked(name: string): Promise<{ inputs: string[]; reply: ReplyShape | undefined }> {
  const { kind } = await fetchSubject(name);
  if (kind === "prompt") {
    const draft = await fetchDraft(name);
    return { inputs: draft.inputs, reply: draft.content.reply };
  }
  const { content } = await got(api.GET("/api/v1/subjects/{name}/chain", { params: { path: { name } } }));
  return { inputs: (content.inputs ?? []).map((each) => each.name), reply: content.reply };
}
export const fetchSubject = (name: string) => got(api.GET("/api/v1/subjects/{name}", { params: { path: { name } } }));
