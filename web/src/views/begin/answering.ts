import type { RefusedField } from "../../api/client";
import { refusalWords } from "../../api/refusals";
import { type LooseAnswer, type Part, USUAL, useBeginning } from "../../bench/beginning";

/** An open part: its values as they stand, how to change one, and what is wrong with each. */
export interface Answering {
  part: Part;
  answer: LooseAnswer;
  set: (changed: LooseAnswer) => void;
  error: (field: string) => string | undefined;
}

/** The open part's answer; a value that is left empty goes back to what such parts usually are. */
export function useAnswering(part: Part, problems: RefusedField[]): Answering {
  const said = useBeginning((state) => state.answers[part]);
  const say = useBeginning((state) => state.say);
  const answer = said ?? USUAL[part];
  return {
    part,
    answer,
    set: (changed) => {
      const kept = Object.entries({ ...answer, ...changed }).filter(
        ([, value]) => value !== undefined && value !== null && value !== "",
      );
      say(part, Object.fromEntries(kept));
    },
    error: (field) => {
      const problem = problems.find((one) => one.field === `answers.${part}.${field}`);
      return problem && refusalWords(problem);
    },
  };
}
