import { useQuery } from "@tanstack/react-query";
import type { Answers, BeginStyle } from "../../api/client";
import { beginStylesQuery } from "../../api/queries";
import { failureWords } from "../../api/refusals";
import { plain } from "../../ui/format";
import { FieldError } from "../../ui/NumberField";

/** Three styles that suit, drawn small, each with its reason: one becomes the first draft. */
export function StyleStep(props: {
  answers: Answers;
  chosen: string | undefined;
  choose: (key: string) => void;
}) {
  const { answers, chosen, choose } = props;
  const found = useQuery(beginStylesQuery(answers));
  if (found.error) return <FieldError>{failureWords(found.error) ?? ""}</FieldError>;
  if (!found.data) return <p role="status">Fitting three styles to this bench…</p>;
  const selected = chosen ?? found.data[0]?.key;
  return (
    <fieldset className="grid grid-cols-3 gap-2 max-phone:grid-cols-1">
      <legend className="mb-2">Begin with one of these: they suit this bench best.</legend>
      {found.data.map((style) => (
        <label
          key={style.key}
          className="relative cursor-pointer rounded-sm border border-edge bg-sheet p-2.5 has-checked:border-action has-checked:shadow-[inset_0_0_0_1px_var(--action)] has-focus-visible:outline-2 has-focus-visible:outline-offset-2 has-focus-visible:outline-action"
        >
          <input
            type="radio"
            className="sr-only"
            name="style"
            // biome-ignore lint/a11y/noAutofocus: the question that was gone on to
            autoFocus={style.key === selected}
            checked={style.key === selected}
            onChange={() => choose(style.key)}
          />
          <strong>{style.name}</strong>
          <SmallCurve style={style} />
          <span className="block">{capital(style.reason)}.</span>
          <GrindWords style={style} />
        </label>
      ))}
    </fieldset>
  );
}

function capital(words: string) {
  return words.charAt(0).toUpperCase() + words.slice(1);
}

function GrindWords({ style }: { style: BeginStyle }) {
  const time = style.prediction.shot_time_s.value;
  return (
    <span className="mt-1 block text-quiet">
      {style.setting !== null && (
        <>
          Grind <b className="text-ink">{plain(style.setting)}</b>
          {style.low !== null &&
            style.high !== null &&
            `, 8 in 10 such coffees from ${plain(style.low)} to ${plain(style.high)}`}
          ;{" "}
        </>
      )}
      {time !== null && `${time.toFixed(0)} s`}
    </span>
  );
}

const [WIDTH, HEIGHT] = [220, 62];

/** Its pressure and its flow into the cup, without numbers. */
function SmallCurve({ style }: { style: BeginStyle }) {
  const { time_s, pressure_bar, cup_out_ml_s } = style.prediction.series;
  const end = time_s.at(-1) ?? 1;
  const path = (values: number[], top: number) =>
    values
      .map((value, i) => {
        const x = ((time_s[i] ?? 0) / end) * WIDTH;
        const y = HEIGHT - 2 - (Math.min(value, top) / top) * (HEIGHT - 4);
        return `${i === 0 ? "M" : "L"}${x.toFixed(1)} ${y.toFixed(1)}`;
      })
      .join("");
  return (
    <svg
      viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
      className="chart my-1.5 block w-full"
      preserveAspectRatio="none"
      aria-hidden="true"
    >
      <path className="base" d={`M0 ${HEIGHT - 1}H${WIDTH}`} />
      <path className="trace pressure" d={path(pressure_bar, 11)} />
      <path className="trace cup" d={path(cup_out_ml_s, 6)} />
    </svg>
  );
}
