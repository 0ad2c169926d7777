import { useMutation } from "@tanstack/react-query";
import { dequal } from "dequal";
import { useRef, useState } from "react";
import { answered, client, type Slid, type Sliders } from "../../api/client";
import { failureWords } from "../../api/refusals";
import { asProfile, type LooseProfile, loosened } from "../../profile/loose";
import type { Planned } from "../../profile/usePlanned";
import { FieldError } from "../../ui/NumberField";
import { styles } from "../../ui/styles";

const SLIDERS = [
  { name: "bolder", low: "Gentler", high: "Bolder" },
  { name: "longer", low: "Shorter", high: "Longer" },
  { name: "rounder", low: "Brighter", high: "Rounder" },
] as const;
const MOST = 3;
const MIDDLE: Sliders = { bolder: 0, longer: 0, rounder: 0 };

interface State {
  base: LooseProfile;
  sliders: Sliders;
  made: LooseProfile;
  slid: Slid | undefined;
}

/** Where the sliders stand outlives the drawer; an edit by other means puts them back to the middle. */
const kept = new Map<number, State>();

/** Three sliders that move the whole profile, and say what they did. */
export function SimplePanel({ planned }: { planned: Planned }) {
  const { id, profile, edit } = planned;
  const [, redraw] = useState(0);
  const newest = useRef(0);
  const known = kept.get(id);
  const state: State =
    known && dequal(known.made, profile)
      ? known
      : { base: profile, sliders: MIDDLE, made: profile, slid: undefined };
  const slide = useMutation({
    mutationFn: (sliders: Sliders) =>
      answered(
        client.POST("/api/bench/slide", { body: { profile: asProfile(state.base), sliders } }),
      ),
  });

  function move(name: keyof typeof MIDDLE, value: number) {
    const sliders = { ...state.sliders, [name]: value };
    const asked = ++newest.current;
    kept.set(id, { ...state, sliders });
    redraw(asked);
    slide.mutate(sliders, {
      onSuccess: (slid) => {
        if (asked !== newest.current) return; // the hand has moved on
        const made = loosened(slid.profile);
        kept.set(id, { ...state, sliders, made, slid });
        edit("simple", made);
      },
    });
  }

  return (
    <section className={styles.editor} data-ui="editor" aria-label="Simple">
      <div className="flex flex-wrap gap-y-1.5 gap-x-7">
        {SLIDERS.map(({ name, low, high }) => (
          <label
            key={name}
            className="flex flex-[1_1_220px] items-center gap-2 [&_input]:flex-1 [&_input]:min-w-22.5 [&_input]:accent-action"
          >
            <span>{low}</span>
            <input
              type="range"
              min={-MOST}
              max={MOST}
              step={1}
              value={state.sliders[name] ?? 0}
              aria-label={`${low} to ${high}`}
              aria-valuetext={notchWords(state.sliders[name] ?? 0, low, high)}
              onChange={(event) => move(name, Number(event.target.value))}
            />
            <span>{high}</span>
          </label>
        ))}
      </div>
      <p role="status">
        {state.slid?.differences.length ? (
          <>
            <b className="first-letter:uppercase">{sentence(state.slid.differences)}</b>{" "}
            <span className="text-quiet">{sentence(state.slid.effects)}</span>
          </>
        ) : (
          <span className="text-quiet">
            Move a slider: the profile follows, and here it says what was changed and what that
            should do. Three notches each way; the middle is the profile unchanged.
          </span>
        )}
      </p>
      {slide.error && <FieldError>{failureWords(slide.error) ?? ""}</FieldError>}
    </section>
  );
}

function notchWords(value: number, low: string, high: string) {
  if (value === 0) return "in the middle";
  return `${Math.abs(value)} ${value < 0 ? low.toLowerCase() : high.toLowerCase()}`;
}

function sentence(parts: string[]) {
  const words = parts.join("; ");
  return words ? `${words.charAt(0).toUpperCase()}${words.slice(1)}.` : "";
}
