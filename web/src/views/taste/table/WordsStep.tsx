import type { Form, Seat } from "../../../api/client";
import { cn, styles } from "../../../ui/styles";
import { WordTags } from "../../../ui/WordTags";
import { remarkOf, type Step } from "./steps";
import type { SayAnything } from "./useSeat";

/** What a taster's phone needs of the form. */
export type FormWords = Pick<Form, "attributes" | "words">;

/** Flavour words as tags, and notes; all of it may be left out. */
export function WordsStep(props: {
  step: Extract<Step, { is: "words" }>;
  seat: Seat;
  form: FormWords;
  say: SayAnything;
}) {
  const { step, seat, form, say } = props;
  const remark = remarkOf(seat, step);
  const words = remark?.words ?? [];
  const notes = remark?.notes ?? "";
  const tell = (part: { words?: string[]; notes?: string }) =>
    say({
      kind: "remark",
      at: Date.now(),
      said: { cup: step.cup.number, warmth: step.warmth, words, notes, ...part },
    });
  return (
    <section aria-label="Words" className="mt-4">
      <h1 className="text-center">Any words for it?</h1>
      <WordTags words={words} listed={form.words} change={(next) => tell({ words: next })} />
      <label className="mt-3 block">
        Notes
        <textarea
          className={cn(styles.textField, "block h-20 w-full py-1 leading-[18px]")}
          data-ui="field"
          maxLength={4000}
          value={notes}
          onChange={(event) => tell({ notes: event.target.value })}
        />
      </label>
    </section>
  );
}
