import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { type Answers, ApiError, type BeginForecast, type RefusedField } from "../../api/client";
import { beginForecastQuery, formQuery } from "../../api/queries";
import { useResting } from "../../profile/useForecast";

export interface BeginNow {
  /** The newest answer; while something is refused, the last good one. */
  forecast: BeginForecast | undefined;
  problems: RefusedField[];
  error: Error | null;
}

const NONE: RefusedField[] = [];

/** A plain shot with what is said: the shot at once, its ranges when the hand rests. */
export function useBeginForecast(answers: Answers): BeginNow {
  const members = useQuery(formQuery()).data?.members ?? 0;
  const rested = useResting(answers);
  const ranged = useQuery({ ...beginForecastQuery(rested, members), enabled: members > 1 });
  const [last, setLast] = useState<BeginForecast>();
  const fresh = ranged.error ? undefined : ranged.data;
  if (fresh && fresh !== last) setLast(fresh);
  const error = ranged.error ?? ranged.failureReason;
  // What was said of an earlier state is no reason against this one.
  const problems = error instanceof ApiError && rested === answers ? error.problems : NONE;
  return { forecast: fresh ?? last, problems, error: problems.length ? null : error };
}
