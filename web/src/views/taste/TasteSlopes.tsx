import type { Compared, Form } from "../../api/client";
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
  const [cups] = compared.comparison.cups;
  if (!cups) {
    return (
      <p className="text-quiet">
        Not tasted alike yet: score both at the same warmth, served the same way.
      </p>
    );
  }
  return (
    <>
      <p className="text-[13px] text-quiet">
        both {cups.warmth}, {cups.served === "milk" ? "in milk" : "straight"}
      </p>
      <ul>
        {attributes.map((attribute) => (
          <Slope
            key={attribute.field}
            name={attribute.name}
            from={cups.first[attribute.field] ?? null}
            to={cups.second[attribute.field] ?? null}
          />
        ))}
      </ul>
    </>
  );
}

const WIDTH = 96;

function Slope({ name, from, to }: { name: string; from: number | null; to: number | null }) {
  const y = (score: number) => 18 - score * 1.6;
  const moved = from !== null && to !== null && from !== to;
  return (
    <li
      className={cn(
        "grid grid-cols-[84px_22px_96px_22px] items-center gap-x-2",
        name === "Liking" && "font-semibold",
      )}
      data-attribute={name}
    >
      <span>{name}</span>
      <span className="text-right tabular-nums">{from ?? "–"}</span>
      <svg
        width={WIDTH}
        height="20"
        aria-hidden="true"
        className={moved ? "text-ink" : "text-edge"}
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
      <span className="tabular-nums">{to ?? "–"}</span>
    </li>
  );
}
