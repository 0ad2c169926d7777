import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { ApiError, type Forecast, type RefusedField } from "../api/client";
import { benchQuery, forecastQuery } from "../api/queries";
import type { LooseProfile } from "./loose";

/** An answer, and the profile it is about. */
export interface Answered {
  forecast: Forecast;
  profile: LooseProfile;
}

export interface ForecastNow {
  /** The newest answer; while `stale`, that of an earlier state of the profile. */
  answered: Answered | undefined;
  stale: boolean;
  problems: RefusedField[];
  /** Why there is no answer when no field is to blame: a lost connection, a fault. */
  error: unknown;
}

/** What a profile should do on the bench; the last good answer stays while a newer one is lacking. */
export function useForecast(profile: LooseProfile | undefined): ForecastNow {
  const bench = useQuery(benchQuery());
  const setup = bench.data ? JSON.stringify({ ...bench.data, name: "" }) : "";
  const query = useQuery({
    ...forecastQuery(setup, profile),
    enabled: Boolean(profile && bench.data),
  });
  const [last, setLast] = useState<Answered>();
  const forecast = query.data;
  if (forecast && profile && forecast !== last?.forecast) setLast({ forecast, profile });
  const error = query.error ?? query.failureReason;
  const problems = error instanceof ApiError ? error.problems : NONE;
  return {
    answered: last,
    stale: !query.data,
    problems,
    error: problems.length ? null : error,
  };
}

const NONE: RefusedField[] = [];

/** The words against one field of a profile, by its path in the document. */
export function wordsAgainst(problems: RefusedField[], path: string) {
  const problem = problems.find((one) => one.field === `profile.${path}`);
  return problem && `got ${problem.got}; takes ${problem.accepted}`;
}

/** Which phase a refused field belongs to; undefined for the stop rule and the rest. */
export function phaseOf(problem: RefusedField): number | undefined {
  const found = /^profile\.phases\.(\d+)/.exec(problem.field);
  return found ? Number(found[1]) : undefined;
}
