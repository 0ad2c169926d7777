import type { Kind } from "../../profile/loose";

/** A phase's kind as a hatch, so that no colour is needed to tell them apart. */
export function Hatch({ kind, width }: { kind: Kind | "stop"; width: number }) {
  const id = `hatch-${kind}`;
  const patterned =
    kind === "fill" || kind === "pre-infusion" || kind === "finish" || kind === "stop";
  return (
    <svg width={width} height="16" className="block" aria-hidden="true">
      <HatchPattern kind={kind} id={id} />
      {patterned && <rect width={width} height="16" fill={`url(#${id})`} />}
      {kind === "ramp" && <path className="hatch-wedge" d={`M0 16L${width} 0V16Z`} />}
      {kind === "decline" && <path className="hatch-wedge" d={`M0 0L${width} 15V16H0Z`} />}
      {kind === "hold" && <rect className="hatch-wedge" width={width} height="16" />}
    </svg>
  );
}

function HatchPattern({ kind, id }: { kind: Kind | "stop"; id: string }) {
  if (kind === "fill") {
    return (
      <pattern
        id={id}
        width="6"
        height="6"
        patternUnits="userSpaceOnUse"
        patternTransform="rotate(45)"
      >
        <path d="M1 0V6" className="hatch-line" strokeWidth="1.2" />
      </pattern>
    );
  }
  if (kind === "pre-infusion") {
    return (
      <pattern id={id} width="5" height="5" patternUnits="userSpaceOnUse">
        <circle cx="1.3" cy="1.3" r=".9" className="hatch-dot" />
        <circle cx="3.8" cy="3.8" r=".9" className="hatch-dot" />
      </pattern>
    );
  }
  if (kind === "finish" || kind === "stop") {
    return (
      <pattern id={id} width="6" height="16" patternUnits="userSpaceOnUse">
        <path d="M3 0V16" className="hatch-line" strokeWidth="1" />
      </pattern>
    );
  }
  return null;
}
