import { infiniteQueryOptions, keepPreviousData, queryOptions } from "@tanstack/react-query";
import { chosenBench, forgetBench } from "./benchChoice";
import {
  type Alignment,
  type Answers,
  ApiError,
  answered,
  type Clock,
  client,
  type Profile,
  type PullRequest,
  type RecordingToImport,
  type SessionSetup,
  type TidyAsk,
  type Trigger,
} from "./client";

/** An answer that stays true for its key, and a refusal that stays a refusal. */
const ASKED_ONCE = { staleTime: Number.POSITIVE_INFINITY, gcTime: 60_000, retry: false } as const;

/** What stands on the page, as it is: the server says what is wrong with it. */
const draftOf = (profile: unknown) => ({ profile: profile as Profile, members: 1 });

export const benchQuery = () =>
  queryOptions({
    queryKey: ["bench"],
    queryFn: async () => {
      try {
        return await answered(client.GET("/api/bench"));
      } catch (error) {
        const gone = error instanceof ApiError && error.status === 404 && chosenBench();
        if (!gone) throw error;
        forgetBench(); // of other data, say: one's own is there
        return answered(client.GET("/api/bench"));
      }
    },
  });

/** The last forecasts for what stands on the bench, beside what happened. */
export const forecastRecordQuery = (benchWords: unknown, limit: number) =>
  queryOptions({
    queryKey: ["forecast record", benchWords, limit],
    queryFn: () => answered(client.GET("/api/learn/forecasts", { params: { query: { limit } } })),
  });

/** The coffee, grinder and machine that something was learnt of, as in its address. */
export interface Three {
  coffee_id: number;
  grinder_id: number;
  machine_id: number;
}

/** What was found on a shot and the changes that answer it. */
export const nextQuery = (shotId: number, off: Trigger[], wished: Trigger[]) =>
  queryOptions({
    queryKey: ["next", shotId, off, wished],
    queryFn: ({ signal }) =>
      answered(
        client.GET("/api/shots/{shot_id}/next", {
          params: { path: { shot_id: shotId }, query: { off, wished } },
          signal,
        }),
      ),
    placeholderData: keepPreviousData,
  });

/** How far the bench's coffee is with the first week. */
export const firstWeekQuery = () =>
  queryOptions({
    queryKey: ["shots", "first week"],
    queryFn: () => answered(client.GET("/api/first-week")),
  });

/** The guided run under way of a coffee; null without one. */
export const guidedRunQuery = (coffeeId: number) =>
  queryOptions({
    queryKey: ["next", "guided run", coffeeId],
    queryFn: () =>
      answered(
        client.GET("/api/coffees/{coffee_id}/guided-run", {
          params: { path: { coffee_id: coffeeId } },
        }),
      ),
  });

/** A change with the grind refitted to keep the shot time; null where that is kept anyway. */
export const refittedQuery = (
  shotId: number,
  move: string,
  said: { off: Trigger[]; wished: Trigger[] },
) =>
  queryOptions({
    queryKey: ["next", shotId, "refitted", move, said],
    queryFn: ({ signal }) =>
      answered(
        client.GET("/api/shots/{shot_id}/next/{move}/refitted", {
          params: { path: { shot_id: shotId, move }, query: said },
          signal,
        }),
      ),
    retry: false,
  });

export const triggersQuery = () =>
  queryOptions({
    queryKey: ["triggers"],
    queryFn: () => answered(client.GET("/api/triggers")),
    staleTime: Number.POSITIVE_INFINITY,
  });

export const taughtQuery = (three: Three) =>
  queryOptions({
    queryKey: ["taught", three],
    queryFn: () =>
      answered(
        client.GET("/api/learn/of/{coffee_id}/{grinder_id}/{machine_id}", {
          params: { path: three },
        }),
      ),
  });

export const nextShotQuery = (three: Three) =>
  queryOptions({
    queryKey: ["taught", three, "next shot"],
    queryFn: () =>
      answered(
        client.GET("/api/learn/of/{coffee_id}/{grinder_id}/{machine_id}/next-shot", {
          params: { path: three },
        }),
      ),
  });

export const togetherQuery = (kind: "coffee" | "grinder" | "machine", number: number) =>
  queryOptions({
    queryKey: ["taught", "together", kind, number],
    queryFn: () =>
      answered(
        client.GET("/api/learn/together/{kind}/{number}", { params: { path: { kind, number } } }),
      ),
  });

export const dosesQuery = (grinderId: number) =>
  queryOptions({
    queryKey: ["doses", grinderId],
    queryFn: () =>
      answered(
        client.GET("/api/learn/doses/{grinder_id}", {
          params: { path: { grinder_id: grinderId } },
        }),
      ),
  });

export const overshootQuery = (machineId: number) =>
  queryOptions({
    queryKey: ["overshoot", machineId],
    queryFn: () =>
      answered(
        client.GET("/api/learn/overshoot/{machine_id}", {
          params: { path: { machine_id: machineId } },
        }),
      ),
  });

export const formQuery = () =>
  queryOptions({
    queryKey: ["form"],
    queryFn: () => answered(client.GET("/api/form")),
    staleTime: Number.POSITIVE_INFINITY,
  });

export const coffeesQuery = () =>
  queryOptions({ queryKey: ["coffees"], queryFn: () => answered(client.GET("/api/coffees")) });

export const grindersQuery = () =>
  queryOptions({ queryKey: ["grinders"], queryFn: () => answered(client.GET("/api/grinders")) });

export const machinesQuery = () =>
  queryOptions({ queryKey: ["machines"], queryFn: () => answered(client.GET("/api/machines")) });

export const basketsQuery = () =>
  queryOptions({ queryKey: ["baskets"], queryFn: () => answered(client.GET("/api/baskets")) });

export const watersQuery = () =>
  queryOptions({ queryKey: ["waters"], queryFn: () => answered(client.GET("/api/waters")) });

export const preparationsQuery = () =>
  queryOptions({
    queryKey: ["preparations"],
    queryFn: () => answered(client.GET("/api/preparations")),
  });

export const variantUsedQuery = (of: "preparation" | "basket", number: number) =>
  queryOptions({
    queryKey: ["taught", of, number],
    queryFn: () =>
      answered(client.GET("/api/learn/used/{of}/{number}", { params: { path: { of, number } } })),
  });

export type Subject = "machine" | "coffee" | "grinder";

export const calibrationsQuery = (subject: Subject, id: number) =>
  queryOptions({
    queryKey: ["calibrations", subject, id],
    queryFn: () =>
      answered(
        client.GET("/api/calibrations/{subject}/{subject_id}", {
          params: { path: { subject, subject_id: id } },
        }),
      ),
  });

export const slotsQuery = (machineId: number, profileId?: number) =>
  queryOptions({
    queryKey: ["slots", machineId, profileId],
    queryFn: () =>
      answered(
        client.GET("/api/machines/{machine_id}/slots", {
          params: {
            path: { machine_id: machineId },
            query: profileId === undefined ? {} : { profile_id: profileId },
          },
        }),
      ),
  });

/** Where a machine's devices answer, and whether they do. */
export const connectionsQuery = (machineId: number) =>
  queryOptions({
    queryKey: ["lines", machineId],
    queryFn: () =>
      answered(
        client.GET("/api/machines/{machine_id}/connections", {
          params: { path: { machine_id: machineId } },
        }),
      ),
  });

/** What of a draft the bench's machine cannot take. */
export const checkQuery = (bench: string, profile: unknown) =>
  queryOptions({
    queryKey: ["check", bench, profile],
    queryFn: ({ signal }) =>
      answered(
        client.POST("/api/bench/check", {
          body: draftOf(profile),
          signal,
        }),
      ),
    placeholderData: keepPreviousData,
    ...ASKED_ONCE,
  });

/** The shot a draft means, where the bench's machine cannot run it. */
export const wantedQuery = (bench: string, profile: unknown) =>
  queryOptions({
    queryKey: ["wanted", bench, profile],
    queryFn: ({ signal }) =>
      answered(
        client.POST("/api/bench/intended", {
          body: draftOf(profile),
          signal,
        }),
      ),
    ...ASKED_ONCE,
  });

export const fixesQuery = (bench: string, profile: unknown) =>
  queryOptions({
    queryKey: ["fixes", bench, profile],
    queryFn: ({ signal }) =>
      answered(
        client.POST("/api/bench/fixes", {
          body: draftOf(profile),
          signal,
        }),
      ),
    ...ASKED_ONCE,
  });

/**
 * What a page of the Shelf draws; the bench's puck is in it. Its key stands apart from the list's:
 * when a list is read again, it must not ask for the picture of a thing that was just removed.
 */
export const reachQuery = (machineId: number, bench: string) =>
  queryOptions({
    queryKey: ["reach", machineId, bench],
    queryFn: () =>
      answered(
        client.GET("/api/machines/{machine_id}/reach", {
          params: { path: { machine_id: machineId } },
        }),
      ),
    placeholderData: keepPreviousData,
  });

export const strokeQuery = (machineId: number, bench: string) =>
  queryOptions({
    queryKey: ["stroke", machineId, bench],
    queryFn: () =>
      answered(
        client.GET("/api/machines/{machine_id}/stroke", {
          params: { path: { machine_id: machineId } },
        }),
      ),
    placeholderData: keepPreviousData,
  });

export const valveQuery = (machineId: number, etag: string) =>
  queryOptions({
    queryKey: ["valve", machineId, etag],
    queryFn: () =>
      answered(
        client.GET("/api/machines/{machine_id}/valve", {
          params: { path: { machine_id: machineId } },
        }),
      ),
    placeholderData: keepPreviousData,
  });

export const grinderCurveQuery = (grinderId: number, etag: string) =>
  queryOptions({
    queryKey: ["grinder-curve", grinderId, etag],
    queryFn: () =>
      answered(
        client.GET("/api/grinders/{grinder_id}/curve", {
          params: { path: { grinder_id: grinderId } },
        }),
      ),
    placeholderData: keepPreviousData,
  });

export const coffeeDaysQuery = (coffeeId: number, etag: string, bench: string) =>
  queryOptions({
    queryKey: ["coffee-days", coffeeId, etag, bench],
    queryFn: () =>
      answered(
        client.GET("/api/coffees/{coffee_id}/days", { params: { path: { coffee_id: coffeeId } } }),
      ),
    placeholderData: keepPreviousData,
  });

export const bedQuery = (basketId: number, etag: string, bench: string) =>
  queryOptions({
    queryKey: ["bed", basketId, etag, bench],
    queryFn: () =>
      answered(
        client.GET("/api/baskets/{basket_id}/bed", { params: { path: { basket_id: basketId } } }),
      ),
    placeholderData: keepPreviousData,
  });

export const profilesQuery = () =>
  queryOptions({ queryKey: ["profiles"], queryFn: () => answered(client.GET("/api/profiles")) });

export const historyQuery = (profileId: number) =>
  queryOptions({
    queryKey: ["profiles", profileId],
    queryFn: () =>
      answered(
        client.GET("/api/profiles/{profile_id}", { params: { path: { profile_id: profileId } } }),
      ),
  });

/** A prediction of what stands on the page; the bench belongs to the key, as it changes the answer. */
export const forecastQuery = (bench: string, profile: unknown, members: number) =>
  queryOptions({
    queryKey: ["forecast", bench, members, profile],
    queryFn: ({ signal }) =>
      answered(
        client.POST("/api/bench/forecast", {
          body: { profile: profile as Profile, members },
          signal,
        }),
      ),
    staleTime: Number.POSITIVE_INFINITY,
    gcTime: 60_000,
    retry: (count, error) => count < 40 && (error as { status?: number }).status === 0,
    retryDelay: 1500,
  });

/** The grind to begin with; null where the coffee was pulled here before. */
export const firstGrindQuery = (bench: string, profile: unknown) =>
  queryOptions({
    queryKey: ["first grind", bench, profile],
    queryFn: ({ signal }) =>
      answered(
        client.POST("/api/bench/first-grind", {
          body: { profile: profile as Profile, members: 1 },
          signal,
        }),
      ),
    ...ASKED_ONCE,
    placeholderData: keepPreviousData,
  });

/** The water to begin with for the bench's roast; null where it is set nearly so. */
export const startWaterQuery = (bench: string, profile: unknown) =>
  queryOptions({
    queryKey: ["start water", bench, profile],
    queryFn: ({ signal }) =>
      answered(
        client.POST("/api/bench/start-water", {
          body: { profile: profile as Profile, members: 1 },
          signal,
        }),
      ),
    ...ASKED_ONCE,
    placeholderData: keepPreviousData,
  });

export const changesQuery = (
  bench: string,
  profileId: number,
  number: number,
  profile: unknown,
  enabled: boolean,
) =>
  queryOptions({
    queryKey: ["changes", bench, profileId, number, profile],
    queryFn: ({ signal }) =>
      answered(
        client.POST("/api/profiles/{profile_id}/versions/{number}/changes", {
          params: { path: { profile_id: profileId, number } },
          body: draftOf(profile),
          signal,
        }),
      ),
    enabled,
    placeholderData: keepPreviousData,
    ...ASKED_ONCE,
  });

export const whatIfQuery = (bench: string, profile: unknown) =>
  queryOptions({
    queryKey: ["what-if", bench, profile],
    queryFn: ({ signal }) =>
      answered(
        client.POST("/api/bench/what-if", {
          body: draftOf(profile),
          signal,
        }),
      ),
    placeholderData: keepPreviousData,
    ...ASKED_ONCE,
  });

export const adjustablesQuery = (bench: string, profile: unknown, enabled: boolean) =>
  queryOptions({
    queryKey: ["adjustables", bench, profile],
    queryFn: ({ signal }) =>
      answered(
        client.POST("/api/bench/adjustables", {
          body: draftOf(profile),
          signal,
        }),
      ),
    enabled,
    placeholderData: keepPreviousData,
    ...ASKED_ONCE,
  });

export const recipeQuery = (profileId: number, bench: string) =>
  queryOptions({
    queryKey: ["recipe", profileId, bench],
    queryFn: ({ signal }) =>
      answered(
        client.GET("/api/profiles/{profile_id}/recipe", {
          params: { path: { profile_id: profileId } },
          signal,
        }),
      ),
    placeholderData: keepPreviousData,
    retry: false,
  });

/** Whether the bench has nothing of one's own yet, and every bench there is. */
export const beginningQuery = () =>
  queryOptions({
    queryKey: ["beginning"],
    queryFn: () => answered(client.GET("/api/begin")),
  });

/** As ASKED_ONCE, but asked again for as long as the server is away. */
const ASKED_UNTIL_ANSWERED = {
  ...ASKED_ONCE,
  refetchInterval: ({ state }: { state: { error: Error | null } }) =>
    state.error instanceof ApiError && state.error.status === 0 ? 1500 : (false as const),
};

/** A plain shot on a bench of which only some is said. */
export const beginForecastQuery = (answers: Answers, members: number) =>
  queryOptions({
    queryKey: ["begin", "forecast", answers, members],
    queryFn: ({ signal }) =>
      answered(client.POST("/api/begin/forecast", { body: { answers, members }, signal })),
    ...ASKED_UNTIL_ANSWERED,
    placeholderData: keepPreviousData,
  });

/** What would narrow that forecast most. */
export const narrowingQuery = (answers: Answers) =>
  queryOptions({
    queryKey: ["begin", "narrowing", answers],
    queryFn: ({ signal }) =>
      answered(client.POST("/api/begin/narrowing", { body: { answers }, signal })),
    ...ASKED_UNTIL_ANSWERED,
    placeholderData: keepPreviousData,
  });

/** The styles that suit a bench best, solved for it. */
export const beginStylesQuery = (answers: Answers) =>
  queryOptions({
    queryKey: ["begin", "styles", answers],
    queryFn: ({ signal }) =>
      answered(client.POST("/api/begin/styles", { body: { answers }, signal })),
    ...ASKED_UNTIL_ANSWERED,
  });

/** Every style, the one that suits the bench best first. */
export const stylesQuery = (bench: string) =>
  queryOptions({
    queryKey: ["styles", bench],
    queryFn: () => answered(client.GET("/api/styles")),
    placeholderData: keepPreviousData,
  });

export const fittedQuery = (bench: string, key: string, regrind: boolean) =>
  queryOptions({
    queryKey: ["styles", bench, key, regrind],
    queryFn: ({ signal }) =>
      answered(
        client.GET("/api/styles/{key}/fitted", {
          params: { path: { key }, query: { regrind } },
          signal,
        }),
      ),
    ...ASKED_ONCE,
  });

export const shotsQuery = () =>
  queryOptions({
    queryKey: ["shots"],
    queryFn: () => answered(client.GET("/api/shots", { params: { query: { limit: 100 } } })),
  });

const SHOTS_A_PAGE = 100;

/** Every shot, a page at a time, from the newest back. */
export const shotPagesQuery = () =>
  infiniteQueryOptions({
    queryKey: ["shots", "pages"],
    queryFn: ({ pageParam }) =>
      answered(
        client.GET("/api/shots", {
          params: {
            query: { limit: SHOTS_A_PAGE, ...(pageParam === null ? {} : { before: pageParam }) },
          },
        }),
      ),
    initialPageParam: null as number | null,
    getNextPageParam: (page) => (page.length < SHOTS_A_PAGE ? null : (page.at(-1)?.id ?? null)),
  });

/** Which shots of a coffee are wanted; nothing for any. */
export interface TrailFilter {
  bag_id?: number;
  machine_id?: number;
  style?: string;
  taster?: string;
  liked_from?: number;
  finding?: string;
  word?: string;
}

const NODES_A_PAGE = 40;

/** A coffee's shots with what each changed, a page at a time, from the newest back. */
export const trailQuery = (coffeeId: number, filter: TrailFilter) =>
  infiniteQueryOptions({
    queryKey: ["shots", "trail", coffeeId, filter],
    queryFn: ({ pageParam }) =>
      answered(
        client.GET("/api/coffees/{coffee_id}/trail", {
          params: {
            path: { coffee_id: coffeeId },
            query: {
              ...filter,
              limit: NODES_A_PAGE,
              ...(pageParam === null ? {} : { before: pageParam }),
            },
          },
        }),
      ),
    initialPageParam: null as number | null,
    getNextPageParam: (page) => page.next,
    placeholderData: keepPreviousData,
  });

/** The best of a coffee so far, its baseline, what worked, and what its shots are filtered by. */
export const trailSummaryQuery = (coffeeId: number) =>
  queryOptions({
    queryKey: ["shots", "trail summary", coffeeId],
    queryFn: () =>
      answered(
        client.GET("/api/coffees/{coffee_id}/trail/summary", {
          params: { path: { coffee_id: coffeeId } },
        }),
      ),
  });

export const shotQuery = (shotId: number) =>
  queryOptions({
    queryKey: ["shots", shotId],
    queryFn: () =>
      answered(client.GET("/api/shots/{shot_id}", { params: { path: { shot_id: shotId } } })),
  });

export const compareQuery = (first: number, second: number, clock: Clock) =>
  queryOptions({
    queryKey: ["shots", "compare", first, second, clock],
    queryFn: () =>
      answered(client.GET("/api/compare", { params: { query: { first, second, clock } } })),
    placeholderData: keepPreviousData,
  });

/** Several shots side by side, as they were run, by cups tasted at one warmth. */
export const severalQuery = (
  shots: number[],
  warmth: "hot" | "warm" | "cool",
  served: "straight" | "milk",
  clock: Clock,
) =>
  queryOptions({
    queryKey: ["compare-several", shots, warmth, served, clock],
    queryFn: () =>
      answered(
        client.GET("/api/compare-several", { params: { query: { shots, warmth, served, clock } } }),
      ),
    placeholderData: keepPreviousData,
    retry: false,
  });

export const versionQuery = (profileId: number, number: number) =>
  queryOptions({
    queryKey: ["profiles", profileId, "versions", number],
    queryFn: () =>
      answered(
        client.GET("/api/profiles/{profile_id}/versions/{number}", {
          params: { path: { profile_id: profileId, number } },
        }),
      ),
    staleTime: Number.POSITIVE_INFINITY, // a saved version never changes
  });

/** What is ready for a pull; asked again and again, as devices come and warm up. */
export const preparedQuery = (request: PullRequest) =>
  queryOptions({
    queryKey: ["prepared", request],
    queryFn: ({ signal }) => answered(client.POST("/api/pulls/check", { body: request, signal })),
    placeholderData: keepPreviousData,
    refetchInterval: 2000,
    gcTime: 10_000,
  });

/** When the stages of a dry run began. */
export const dryRunQuery = (shotId: number) =>
  queryOptions({
    queryKey: ["shots", shotId, "dry-run"],
    queryFn: () =>
      answered(client.GET("/api/dry-runs/{shot_id}", { params: { path: { shot_id: shotId } } })),
  });

/** What a shot's curve says; it may change with each shot beside it. */
export const readingQuery = (shotId: number) =>
  queryOptions({
    queryKey: ["shots", shotId, "reading"],
    queryFn: () =>
      answered(
        client.GET("/api/shots/{shot_id}/reading", { params: { path: { shot_id: shotId } } }),
      ),
  });

/** Shots laid over one, aligned on a moment of each. */
export const overlaysQuery = (shotId: number, alignment: Alignment, over: number[]) =>
  queryOptions({
    queryKey: ["shots", shotId, "overlays", alignment, over],
    queryFn: () =>
      answered(
        client.GET("/api/shots/{shot_id}/overlays", {
          params: { path: { shot_id: shotId }, query: { alignment, over } },
        }),
      ),
    placeholderData: keepPreviousData,
  });

/** A text as a sheet, with what its columns seem to be. */
export const sheetQuery = (csv: string) =>
  queryOptions({
    queryKey: ["sheet", csv],
    queryFn: () => answered(client.POST("/api/recordings/sheet", { body: { csv } })),
    ...ASKED_ONCE,
  });

/** A recording from elsewhere as it would be kept. */
export const recordingQuery = (recording: RecordingToImport) =>
  queryOptions({
    queryKey: ["recording", recording],
    queryFn: ({ signal }) =>
      answered(client.POST("/api/recordings/preview", { body: recording, signal })),
    placeholderData: keepPreviousData,
    ...ASKED_ONCE,
  });

export const reviewQuery = (shotId: number) =>
  queryOptions({
    queryKey: ["shots", shotId, "after"],
    queryFn: () =>
      answered(
        client.GET("/api/shots/{shot_id}/review", { params: { path: { shot_id: shotId } } }),
      ),
  });

export const seriesQuery = (id: number, clock: Clock = "pump") =>
  queryOptions({
    queryKey: ["series", id, clock],
    queryFn: () =>
      answered(
        client.GET("/api/series/{series_id}", {
          params: { path: { series_id: id }, query: { clock } },
        }),
      ),
    placeholderData: keepPreviousData,
  });

/** Shots that were cut off and nobody has looked at since. */
export const cutOffQuery = () =>
  queryOptions({ queryKey: ["cut-off"], queryFn: () => answered(client.GET("/api/cut-off")) });

/** A recording tidied: of a stored shot, or of a trace brought in as text. */
export const tidiedQuery = (of: { shot_id: number } | { csv: string }, ask: TidyAsk) =>
  queryOptions({
    queryKey: ["tidied", of, ask],
    queryFn: ({ signal }) =>
      answered(client.POST("/api/tidied", { body: { ...of, name: "Tidied", ask }, signal })),
    placeholderData: keepPreviousData,
    ...ASKED_ONCE,
  });

/** Tastings of several cups or by several people, the newest first. */
export const tastingsQuery = () =>
  queryOptions({ queryKey: ["tastings"], queryFn: () => answered(client.GET("/api/tastings")) });

export const tastingQuery = (id: number) =>
  queryOptions({
    queryKey: ["tastings", id],
    queryFn: () =>
      answered(client.GET("/api/tastings/{session_id}", { params: { path: { session_id: id } } })),
  });

export const tastingResultsQuery = (id: number) =>
  queryOptions({
    queryKey: ["tasting-results", id],
    queryFn: () =>
      answered(
        client.GET("/api/tastings/{session_id}/results", { params: { path: { session_id: id } } }),
      ),
  });

export const servingQuery = (id: number) =>
  queryOptions({
    queryKey: ["tasting-serving", id],
    queryFn: () =>
      answered(
        client.GET("/api/tastings/{session_id}/serving", { params: { path: { session_id: id } } }),
      ),
  });

/** What a tasting would serve and could tell, before it is drawn. */
export const tastingPreviewQuery = (setup: SessionSetup) =>
  queryOptions({
    queryKey: ["tasting-preview", setup],
    queryFn: () => answered(client.POST("/api/tastings/preview", { body: setup })),
    placeholderData: keepPreviousData,
    gcTime: 60_000,
    retry: false,
  });

/** Where phones in the house's network find a tasting. */
export const phonesQuery = () =>
  queryOptions({
    queryKey: ["phones"],
    queryFn: () => answered(client.GET("/api/phones")),
    staleTime: Number.POSITIVE_INFINITY,
  });

/** How strong a drink is in so much milk. */
export const inMilkQuery = (tds_pct: number, yield_g: number, milk_g: number) =>
  queryOptions({
    queryKey: ["in-milk", tds_pct, yield_g, milk_g],
    queryFn: () =>
      answered(client.GET("/api/in-milk", { params: { query: { tds_pct, yield_g, milk_g } } })),
    ...ASKED_ONCE,
    placeholderData: keepPreviousData,
  });

/** How far a shot is from its coffee's target; asked again when its tastings change. */
export const offTargetQuery = (shotId: number, tasted: string) =>
  queryOptions({
    queryKey: ["off-target", shotId, tasted],
    queryFn: () =>
      answered(
        client.GET("/api/shots/{shot_id}/off-target", { params: { path: { shot_id: shotId } } }),
      ),
    placeholderData: keepPreviousData,
  });

/** What a coffee is to taste of. */
export const targetQuery = (coffeeId: number) =>
  queryOptions({
    queryKey: ["target", coffeeId],
    queryFn: () =>
      answered(
        client.GET("/api/coffees/{coffee_id}/target", {
          params: { path: { coffee_id: coffeeId } },
        }),
      ),
  });

export const tastersQuery = () =>
  queryOptions({ queryKey: ["tasters"], queryFn: () => answered(client.GET("/api/tasters")) });

export const tableQuery = (join: string) =>
  queryOptions({
    queryKey: ["table", join],
    queryFn: () =>
      answered(client.GET("/api/tables/{join_code}", { params: { path: { join_code: join } } })),
  });

export const seatQuery = (join: string, tasterId: number, secret: string) =>
  queryOptions({
    queryKey: ["table", join, tasterId, secret],
    queryFn: () =>
      answered(
        client.GET("/api/tables/{join_code}/seats/{taster_id}", {
          params: {
            path: { join_code: join, taster_id: tasterId },
            header: { "Vapocline-Seat": secret },
          },
        }),
      ),
  });

/** The curve of a cup's shot, where it is not blind. */
export const cupCurveQuery = (join: string, cup: number) =>
  queryOptions({
    queryKey: ["cup-curve", join, cup],
    queryFn: () =>
      answered(
        client.GET("/api/tables/{join_code}/cups/{cup}/curve", {
          params: { path: { join_code: join, cup } },
        }),
      ),
    ...ASKED_ONCE,
  });

export const tableResultsQuery = (join: string) =>
  queryOptions({
    queryKey: ["table-results", join],
    queryFn: () =>
      answered(
        client.GET("/api/tables/{join_code}/results", { params: { path: { join_code: join } } }),
      ),
  });
