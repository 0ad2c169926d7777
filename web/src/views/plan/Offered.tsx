import { useEffect } from "react";
import type { Prediction } from "../../api/client";
import { Button } from "../../ui/Button";
import { usePreview } from "./preview";

interface Props {
  profileId: number;
  words: string;
  effects: string[];
  prediction: Prediction;
  reached: boolean;
  /** Applies it; without one there is nothing to apply. */
  take: (() => void) | undefined;
  leave: () => void;
  children?: React.ReactNode;
}

/** Something computed, shown behind the curves before it is applied. */
export function Offered(props: Props) {
  const { profileId, words, effects, prediction, reached, take, leave, children } = props;
  const show = usePreview((state) => state.show);
  const previewed = take !== undefined;
  useEffect(() => {
    if (previewed) show({ profileId, prediction, name: "suggested" });
    return () => show(undefined);
  }, [profileId, prediction, show, previewed]);
  return (
    <div className="grid gap-1.25" role="status">
      <p className={`first-letter:uppercase ${reached ? "" : "text-warn"}`}>{words}.</p>
      {effects.length > 0 && (
        <p className="text-quiet first-letter:uppercase">{effects.join("; ")}.</p>
      )}
      {children}
      <div className="flex gap-2">
        {take && (
          <Button className="text-action" onClick={take}>
            Apply
          </Button>
        )}
        <Button onClick={leave}>{take ? "Cancel" : "Done"}</Button>
        {take && <span className="self-center text-[13px] text-quiet">Drawn in grey above.</span>}
      </div>
    </div>
  );
}
