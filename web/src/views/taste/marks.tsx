/** A mark for each cup of a tasting, distinguished by shape before colour. */
const SHAPES = ["square", "dot", "triangle", "diamond", "cross", "ring"] as const;
const COLOURS = [
  "var(--ink)",
  "var(--action)",
  "var(--pressure)",
  "var(--water-text)",
  "var(--cup-text)",
  "var(--temperature)",
];

export function colourOf(cup: number) {
  return COLOURS[cup % COLOURS.length] ?? "var(--ink)";
}

/** The mark of a cup, around a point. */
export function CupMark({ cup, x, y }: { cup: number; x: number; y: number }) {
  const colour = colourOf(cup);
  const open = { fill: "var(--sheet)", stroke: colour, strokeWidth: 1.75 };
  const full = { fill: colour, stroke: colour, strokeWidth: 1.75 };
  switch (SHAPES[cup % SHAPES.length]) {
    case "square":
      return <rect x={x - 4.5} y={y - 4.5} width="9" height="9" {...open} />;
    case "dot":
      return <circle cx={x} cy={y} r="5" {...full} />;
    case "triangle":
      return <path d={`M${x} ${y - 5.5}l5.5 10h-11z`} {...open} />;
    case "diamond":
      return <path d={`M${x} ${y - 6}l6 6l-6 6l-6 -6z`} {...full} />;
    case "cross":
      return (
        <path
          d={`M${x - 4.5} ${y - 4.5}l9 9M${x + 4.5} ${y - 4.5}l-9 9`}
          stroke={colour}
          strokeWidth="2.5"
        />
      );
    default:
      return <circle cx={x} cy={y} r="5" {...open} />;
  }
}

/** The mark alone, beside a name. */
export function CupMarkIcon({ cup }: { cup: number }) {
  return (
    <svg width="14" height="14" aria-hidden="true" className="mt-0.5 shrink-0">
      <CupMark cup={cup} x={7} y={7} />
    </svg>
  );
}
