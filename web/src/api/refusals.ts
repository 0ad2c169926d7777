import { ApiError, type RefusedField } from "./client";

/** The server's words against a field, as every place says them. */
export function refusalWords(problem: RefusedField) {
  return `got ${problem.got}; takes ${problem.accepted}`;
}

/** Why something with a single field failed: what was refused in it, or what else went wrong. */
export function failureWords(error: Error | null) {
  const problem = error instanceof ApiError ? error.problems[0] : undefined;
  return problem ? refusalWords(problem) : error?.message;
}
