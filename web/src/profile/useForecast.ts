import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useMemo, useState } from "react";
import { ApiError, type Forecast, type RefusedField } from "../api/client";
import { forecastQuery, formQuery } from "../api/queries";
import { refusalWords } from "../api/refusals";
import { useSetup } from "../api/useSetup";
import { useDragging } from "./dragging";
import type { LooseProfile } from "./loose";

/** An answer, and the profile it is about. */
export interface Answered {
  forecast: Forecast;
  profile: LooseProfile;
}

export interface ForecastNow {
  /** The newest answer; while `stale`, that of an earlier state of the profile. */
  answered: Answered | undefined;
  /** As of the last answer with ranges: it would come and go with every move of the hand. */
  strengthOffer: Forecast["strength_offer"];
  stale: boolean;
  /** Stale, and no answer is on its way: the draft was refused, or the line is lost. */
  refused: boolean;
  problems: RefusedField[];
  /** Why there is no answer when no field is to blame: a lost connection, a fault. */
  error: unknown;
}

/**
 * What a profile should do on the bench: the nominal shot at once, its ranges when the hand rests.
 * The last good answer stays while a newer one is lacking.
 */
export function useForecast(profile: LooseProfile | undefined): ForecastNow {
  const form = useQuery(formQuery());
  const setup = useSetup();
  // One question at a time: while the hand moves on, the answer to the last one is still drawn, and
  // then the newest state is asked about. Nothing older can come after it.
  const [asked, setAsked] = useState(profile);
  const known = Boolean(asked && setup);
  const query = useQuery({ ...forecastQuery(setup, asked, 1), enabled: known });
  if (asked !== profile && !(query.isFetching && query.failureCount === 0)) setAsked(profile);
  const resting = useResting(profile) === profile && asked === profile;
  const members = form.data?.members ?? 0;
  const ranged = useQuery({
    ...forecastQuery(setup, asked, members),
    enabled: known && resting && members > 1 && query.isSuccess,
  });
  const [last, setLast] = useState<Answered>();
  const [strengthOffer, setStrengthOffer] = useState<Forecast["strength_offer"]>(null);
  const forecast = ranged.data ?? query.data;
  if (forecast && asked && forecast !== last?.forecast) {
    setLast({ forecast, profile: asked });
    if (forecast.prediction.members > 1) setStrengthOffer(forecast.strength_offer);
  }
  const error = query.error ?? query.failureReason;
  const problems = error instanceof ApiError ? error.problems : NONE;
  const stale = !forecast || asked !== profile;
  const refused = !forecast && Boolean(error);
  return useMemo(
    () => ({
      answered: last,
      strengthOffer,
      stale,
      refused,
      problems,
      error: problems.length ? null : error,
    }),
    [last, strengthOffer, stale, refused, problems, error],
  );
}

/** Ask about a profile before anything is drawn again, unless a question is already on its way. */
export function useAskEarly() {
  const queryClient = useQueryClient();
  const setup = useSetup();
  return (profile: LooseProfile) => {
    if (!setup || queryClient.isFetching({ queryKey: ["forecast"] }) > 0) return;
    queryClient.prefetchQuery(forecastQuery(setup, profile, 1));
  };
}

const REST_MS = 120;
const HELD_REST_MS = 500; // while something is held, the curve has the machine to itself for longer

/** The value once it has rested for a moment: ranges are asked for when the hand is still. */
export function useResting<T>(value: T) {
  const [rested, setRested] = useState(value);
  const held = useDragging((state) => state.held);
  useEffect(() => {
    const timer = setTimeout(() => setRested(value), held ? HELD_REST_MS : REST_MS);
    return () => clearTimeout(timer);
  }, [value, held]);
  return rested;
}

const NONE: RefusedField[] = [];

/** The words against one field of a profile, by its path in the document. */
export function wordsAgainst(problems: RefusedField[], path: string) {
  const problem = problems.find((one) => one.field === `profile.${path}`);
  return problem && refusalWords(problem);
}

/** Which phase a refused field belongs to; undefined for the stop rule and the rest. */
export function phaseOf(problem: RefusedField): number | undefined {
  const found = /^profile\.phases\.(\d+)/.exec(problem.field);
  return found ? Number(found[1]) : undefined;
}
