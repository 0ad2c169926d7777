import { Check } from "lucide-react";
import { type LooseAnswers, PARTS, type Part } from "../../bench/beginning";
import { partTitle, partWords } from "../../bench/beginningWords";
import { cn } from "../../ui/styles";

/** The five parts as blocks: what was said, which is open, and which are to come. */
export function AnswerRail(props: {
  answers: LooseAnswers;
  step: number;
  faulty: ReadonlySet<Part>;
  go: (step: number) => void;
}) {
  const { answers, step, faulty, go } = props;
  return (
    <fieldset
      aria-label="The five answers"
      className="relative z-1 mx-2.5 -mb-0.5 grid flex-none grid-cols-5 gap-2 max-phone:mx-1 max-phone:gap-0.5"
    >
      {PARTS.map((part, i) => {
        const said = answers[part];
        const words = partWords(part, said);
        return (
          <button
            key={part}
            type="button"
            aria-pressed={i === step}
            onClick={() => go(i)}
            className={cn(
              "flex min-h-17 min-w-0 flex-col overflow-hidden rounded-t-[3px] border border-b-0 border-rule bg-sheet px-2 pt-0.75 pb-1.5 text-left text-small leading-4.25 focus-visible:outline-offset-[-3px] max-phone:min-h-12 max-phone:px-1",
              said === undefined && "border-dashed text-quiet",
              faulty.has(part) && "border-stop",
              "aria-pressed:border-solid aria-pressed:border-2 aria-pressed:border-b-0 aria-pressed:border-action aria-pressed:bg-tint aria-pressed:text-ink",
            )}
          >
            <span className="flex w-full items-center justify-between gap-1">
              <strong className="truncate">{partTitle(part)}</strong>
              {said ? (
                <Check
                  size={14}
                  className="shrink-0 text-action max-phone:hidden"
                  aria-hidden="true"
                />
              ) : (
                <span className="shrink-0 text-quiet max-phone:hidden">{i + 1} of 5</span>
              )}
            </span>
            <span className="max-phone:hidden">{words}</span>
            {faulty.has(part) && <span className="sr-only">something in it is invalid</span>}
          </button>
        );
      })}
    </fieldset>
  );
}
