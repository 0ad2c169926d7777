import createClient from "openapi-fetch";
import { chosenBench } from "./benchChoice";
import { wordsReadIn } from "./readIn";
import type { components, paths } from "./schema";

type Schemas = components["schemas"];
export type Bench = Schemas["Bench"];
export type BenchChange = Schemas["BenchChange"];
export type Coffee = Schemas["ShelvedCoffee"];
export type Grinder = Schemas["ShelvedGrinder"];
export type Machine = Schemas["ShelvedMachine"];
export type StartWater = Schemas["StartWater"];
export type Water = Schemas["ShelvedWater"];
export type Preparation = Schemas["ShelvedPreparation"];
export type ThingCare = Schemas["ThingCare"];
export type CalibrationDue = Schemas["CalibrationDue"];
export type CareLine = Schemas["CareLine"];
export type CareInterval = Schemas["Interval"];
export type CareIntervalSaid = Schemas["IntervalSaid"];
export type CoffeeDays = Schemas["CoffeeDays"];
export type GrinderCurve = Schemas["GrinderCurve"];
export type DrawnStroke = Schemas["DrawnStroke"];
export type DrawnPress = Schemas["DrawnPress"];
export type ValveFlow = Schemas["ValveFlow"];
export type Forecast = Schemas["Forecast"];
export type Prediction = Schemas["Prediction"];
export type Profile = Schemas["Profile"];
export type ProfileLine = Schemas["ProfileLine"];
export type History = Schemas["History"];
export type Shot = Schemas["Shot"];
export type ShotLine = Schemas["ShotLine"];
export type Tasting = Schemas["Tasting"];
export type Tasted = Schemas["Tasted"];
export type Compared = Schemas["Compared"];
export type ComparedSeveral = Schemas["ComparedSeveral"];
export type Form = Schemas["Form"];
export type Attribute = Form["attributes"][number];
export type Observation = Schemas["Observation"];
export type Target = Schemas["Target"];
export type SessionSetup = Schemas["SessionSetup"];
export type SessionPreview = Schemas["SessionPreview"];
export type SessionLine = Schemas["SessionLine"];
export type TastingSession = Schemas["TastingSession"];
export type SessionResults = Schemas["SessionResults"];
export type ServingSheet = Schemas["ServingSheet"];
export type Table = Schemas["Table"];
export type Seat = Schemas["Seat"];
export type ScoreSaid = Schemas["ScoreSaid"];
export type RemarkSaid = Schemas["RemarkSaid"];
export type ChoiceSaid = Schemas["ChoiceSaid"];
export type Since = Schemas["Since"];
export type Style = Schemas["StyleWords"];
export type FittedStyle = Schemas["FittedStyle"];
export type Variant = Schemas["Variant"];
export type Suggested = Schemas["Suggested"];
export type Ask = Schemas["Suggestion"]["ask"];
export type Slid = Schemas["Slid"];
export type Sliders = Schemas["Sliders"];
export type Sought = Schemas["Sought"];
export type Want = Schemas["Want"];
export type Adjustable = Schemas["AdjustableOut"];
export type Notice = Schemas["Notice"];
export type Basket = Schemas["ShelvedBasket"];
export type Misfit = Schemas["Misfit"];
export type FixEffect = Schemas["FixEffect"];
export type Difference = Schemas["ShotDifference"];
export type Translation = Schemas["Translation"];
export type TranslationAsked = Schemas["TranslationAsked"];
export type SlotPlan = Schemas["SlotPlan"];
export type Slot = Schemas["Slot"];
export type Kept = Schemas["Kept"];
export type CalibrationFit = Schemas["CalibrationFit"];
export type Drift = Schemas["Drift"];
export type Measured = Schemas["Measurement"]["measured"];
export type PullRequest = Schemas["PullRequest"];
export type Prepared = Schemas["Prepared"];
export type HouseChecks = Schemas["HouseChecks"];
export type HouseLines = Schemas["HouseLines"];
export type OwnLine = Schemas["OwnLine"];
export type Check = Schemas["Item"]["check"];
export type OrderGiven = Schemas["OrderGiven"];
export type Taught = Schemas["Taught"];
export type TogetherLine = Schemas["TogetherLine"];
export type LearntUnknown = Schemas["LearntUnknown"];
export type ForecastRecord = Schemas["ForecastRecord"];
export type Scores = Schemas["Scores"];
export type FitLine = Schemas["FitLine"];
export type Next = Schemas["Next"];
export type GuidedRun = Schemas["GuidedRun"];
export type FirstWeek = Schemas["FirstWeek"];
export type Settled = Schemas["Settled"];
export type TrailNode = Schemas["TrailNode"];
export type TrailSummary = Schemas["TrailSummary"];
export type SummedChange = Schemas["SummedChange"];
export type NextChange = Schemas["NextChange"];
export type Trigger = Schemas["Chip"]["trigger"];
export type Cue = Schemas["Cue"];
export type Sheet = Schemas["Sheet"];
export type SheetColumn = Schemas["Column"];
export type ImportDoubt = Schemas["ImportDoubt"];
export type BroughtPicture = Schemas["Picture"];
export type RecordingToImport = Schemas["RecordingToImport"];
export type ShotReading = Schemas["ShotReading"];
export type Finding = ShotReading["reading"]["findings"][number];
export type Clock = "pump" | "drip" | "full";
export type Alignment = Schemas["Overlays"]["alignment"];
export type Overlays = Schemas["Overlays"];
export type PlanChange = Schemas["Change"];
export type Review = Schemas["Review"];
export type PullSeries = Schemas["PullSeries"];
export type Tolerance = Schemas["Tolerance"];
export type TidyAsk = Schemas["TidyAsk"];
export type TidyResult = Schemas["TidyResult"];
export type Connections = Schemas["Connections"];
export type Answers = Schemas["Answers"];
export type BeginForecast = Schemas["BeginForecast"];
export type BeginStyle = Schemas["BeginStyle"];
export type Narrowing = Schemas["Narrowing"];
export type RefusedField = Schemas["RefusedField"];

/** An answer that was an error: the server's words, and the fields it refused. */
export class ApiError extends Error {
  constructor(
    readonly status: number,
    message: string,
    readonly problems: RefusedField[],
  ) {
    super(message);
  }
}

export const LOST =
  "Vapocline is not responding. Your work is kept here and it reconnects by itself.";

export const client = createClient<paths>({ baseUrl: "" });
client.use({
  onRequest({ request }) {
    const bench = chosenBench();
    if (bench !== undefined) request.headers.set("Vapocline-Bench", String(bench));
    // Words come in the units they are read in.
    request.headers.set("Vapocline-Units", wordsReadIn());
    return request;
  },
});

/** The data of an answer. Throws ApiError with the server's words, or that it was not reached. */
export async function answered<T>(
  asked: Promise<{ data?: T; error?: unknown; response: Response }>,
): Promise<T> {
  let got: Awaited<typeof asked>;
  try {
    got = await asked;
  } catch (error) {
    if (error instanceof DOMException && error.name === "AbortError") throw error;
    throw new ApiError(0, LOST, []);
  }
  if (got.response.ok) return got.data as T;
  const problem = got.error as Partial<Schemas["ProblemDocument"]> | undefined;
  throw new ApiError(
    got.response.status,
    problem?.detail ?? `The server answered ${got.response.status}.`,
    problem?.problems ?? [],
  );
}
