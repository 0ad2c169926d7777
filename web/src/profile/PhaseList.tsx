import type { Profile } from "../api/client";
import { loosened } from "./loose";
import { commandWords, exitsWords } from "./words";

/** What each phase does and when it ends, in words. */
export function PhaseList({ profile }: { profile: Profile }) {
  return (
    <ol className="grid gap-1 border-t border-rule p-4">
      {loosened(profile).phases.map((phase, i) => (
        // biome-ignore lint/suspicious/noArrayIndexKey: a phase has no name but its place
        <li key={i}>
          <b>{phase.name}</b>: {commandWords(phase)},{" "}
          <span className="text-quiet">{exitsWords(phase)}</span>
        </li>
      ))}
    </ol>
  );
}
