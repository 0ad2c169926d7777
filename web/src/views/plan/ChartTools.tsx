import { memo } from "react";
import type { History } from "../../api/client";
import { alongAxes, useAlongAxis } from "../../profile/clock";
import { Choice } from "../../ui/Choice";
import { Segments } from "../../ui/Segments";
import { usePreview } from "./preview";
import type { GhostChoice } from "./useGhost";

/** Over the curves: which other version is drawn behind, and what the axis counts. */
export const ChartTools = memo(function ChartTools(props: {
  history: History;
  choice: GhostChoice;
  choose: (choice: GhostChoice) => void;
  /** Drawn for a machine that can run it, as the bench's cannot. */
  elsewhere: boolean;
}) {
  const { history, choice, choose, elsewhere } = props;
  const { along, setAlong } = useAlongAxis();
  const preview = usePreview((state) => state.shown);
  const options: { value: string; words: string }[] = [
    { value: "default", words: "ghost: the version the draft started from" },
    { value: "none", words: "no ghost" },
    ...history.versions.map(({ number, label }) => ({
      value: String(number),
      words: `ghost v${number}${label ? ` ${label}` : ""}`,
    })),
  ];
  const named = options.map((one) => (one.value === "default" ? { ...one, button: "ghost" } : one));
  return (
    <div className="absolute top-1 right-11.5 z-20 flex gap-2 items-center max-phone:right-1 [&_[data-ui=segments]]:leading-3.5 [&_[data-ui=field]]:h-6 [&_[data-ui=field]]:min-h-6 [&_[data-ui=field]]:border-transparent [&_[data-ui=field]]:bg-transparent [&_[data-ui=field]]:text-quiet max-phone:[&_[data-ui=segments]_button]:px-1.25">
      {elsewhere && (
        <span className="text-warn max-phone:hidden">on a machine that can run it</span>
      )}
      {preview?.profileId === history.id ? (
        <span className="text-quiet">grey: {preview.name}</span>
      ) : (
        <Choice
          label="Ghost"
          value={String(choice)}
          options={named}
          onChange={(value) =>
            choose(value === "default" || value === "none" ? value : Number(value))
          }
          className="max-[760px]:hidden!"
        />
      )}
      <Segments label="Axis" value={along} options={alongAxes()} onChange={setAlong} />
    </div>
  );
});
