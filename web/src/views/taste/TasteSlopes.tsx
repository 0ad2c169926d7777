import { useState } from "react";
import type { Compared, Form } from "../../api/client";
import { Choice } from "../../ui/Choice";
import { cn } from "../../ui/styles";

type Attribute = Form["attributes"][number];

/** Each attribute's score in both cups, with the slope between them. */
export function TasteSlopes({
  compared,
  attributes,
}: {
  compared: Compared;
  attributes: Attribute[];
}) {
  const every = compared.comparison.cups;
  const [chosen, setChosen] = useState(0);
  const cups = every[chosen] ?? every[0];
  if (!cups) {
    return (
      <p className="text-quiet">
        Not tasted alike yet: score both at the same warmth, served the same way.
      </p>
    );
  }
  return (
    <>
      {every.length > 1 && (
        <Choice
          label="Cups"
          value={chosen}
          options={every.map((one, index) => ({ value: index, words: cupsWords(one) }))}
          onChange={setChosen}
          className="w-full"
        />
      )}
      <p className="text-[13px] text-quiet">
        {every.length === 1 && `${cupsWords(cups)}. `}
        Pale where no difference is clear.
      </p>
      <ul>
        {attributes
          .filter(({ field }) => field in cups.first || field in cups.second)
          .map((attribute) => (
            <Slope
              key={attribute.field}
              name={attribute.name}
              from={cups.first[attribute.field] ?? null}
              to={cups.second[attribute.field] ?? null}
              clear={cups.significant.includes(attribute.field)}
            />
          ))}
      </ul>
    </>
  );
}

function cupsWords(cups: Compared["comparison"]["cups"][number]) {
  return `Both ${cups.warmth}, ${cups.served === "milk" ? "in milk" : "straight"}, by ${cups.taster}`;
}

/** Whole where one cup was scored; a mean of several may fall between. */
function scoreWords(score: number | null) {
  if (score === null) return "–";
  return Number.isInteger(score) ? `${score}` : score.toFixed(1);
}

const WIDTH = 96;

function Slope(props: {
  name: string;
  from: number | null;
  to: number | null;
  /** Whether the difference is significant. */
  clear: boolean;
}) {
  const { name, from, to, clear } = props;
  const y = (score: number) => 18 - score * 1.6;
  return (
    <li
      className={cn(
        "grid grid-cols-[84px_22px_96px_22px] items-center gap-x-2",
        name === "Liking" && "font-semibold",
        !clear && "text-quiet",
      )}
      data-attribute={name}
      data-clear={clear}
    >
      <span>{name}</span>
      <span className="text-right tabular-nums">{scoreWords(from)}</span>
      <svg
        width={WIDTH}
        height="20"
        aria-hidden="true"
        className={clear ? "text-ink" : "text-edge"}
      >
        {from !== null && to !== null && (
          <path
            d={`M6 ${y(from)}L${WIDTH - 6} ${y(to)}`}
            className="fill-none stroke-current stroke-[1.5]"
          />
        )}
        {from !== null && (
          <circle cx="6" cy={y(from)} r="2.5" className="fill-sheet stroke-current" />
        )}
        {to !== null && <circle cx={WIDTH - 6} cy={y(to)} r="2.5" className="fill-current" />}
      </svg>
      <span className="tabular-nums">{scoreWords(to)}</span>
    </li>
  );
}
