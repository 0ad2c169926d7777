import { ApiError, type RefusedField } from "./client";

const EMPTY = ["''", "nothing"];

/** The server's words against a field, as every place says them: what to do, where it is empty. */
export function refusalWords(problem: RefusedField) {
  if (!EMPTY.includes(problem.got)) return `got ${problem.got}; takes ${problem.accepted}`;
  if (/(^|\.)name$/.test(problem.field)) return "give it a name";
  return `fill this in: it takes ${problem.accepted}`;
}

/** Why something with a single field failed: what was refused in it, or what else went wrong. */
export function failureWords(error: Error | null) {
  const problem = error instanceof ApiError ? error.problems[0] : undefined;
  return problem ? refusalWords(problem) : error?.message;
}
