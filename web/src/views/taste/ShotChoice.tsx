import type { ShotLine } from "../../api/client";
import { moment } from "../../ui/format";
import { Tick, toggled } from "../../ui/Tick";
import { grams } from "../../ui/units";

/** Which shots, of the newest ones. */
export function ShotChoice(props: {
  chosen: number[];
  most: number;
  shots: ShotLine[];
  change: (chosen: number[]) => void;
}) {
  const { chosen, most, shots, change } = props;
  return (
    <div className="grid max-h-80 overflow-y-auto">
      <p className="pb-1 text-small text-quiet">Up to {most}, newest first.</p>
      {shots.map((shot) => {
        const on = chosen.includes(shot.id);
        return (
          <Tick
            key={shot.id}
            on={on}
            disabled={!on && chosen.length >= most}
            change={(next) => change(toggled(chosen, shot.id, next).sort((a, b) => a - b))}
            words={
              <span className="flex justify-between gap-3">
                <span className="truncate">
                  {shot.profile_name} <span className="font-mono text-quiet">v{shot.number}</span>
                </span>
                <span className="shrink-0 text-small text-quiet tabular-nums">
                  {shot.yield_g === null ? "" : `${grams(shot.yield_g, 1)}, `}
                  {moment(shot.started_at)}
                </span>
              </span>
            }
          />
        );
      })}
    </div>
  );
}
