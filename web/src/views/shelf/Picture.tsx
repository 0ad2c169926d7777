import { useQuery } from "@tanstack/react-query";
import type { ReactNode } from "react";
import { benchQuery } from "../../api/queries";
import { ErrorNote } from "../../ui/Messages";
import { Panel } from "../../ui/Panel";
import { PlotPlace } from "./PlotFrame";

/** A picture with what it says beside it. */
export function Picture({
  name,
  children,
  words,
}: {
  name: string;
  children: ReactNode;
  words: ReactNode;
}) {
  return (
    <div className="mb-3">
      <Panel name={name}>
        <div className="grid grid-cols-[minmax(0,600px)_minmax(180px,1fr)] items-start gap-5 max-narrow:grid-cols-1">
          {children}
          <div className="grid max-w-prose gap-1.5 [&>p]:first-letter:uppercase">{words}</div>
        </div>
      </Panel>
    </div>
  );
}

/**
 * While its data are on their way it takes its room, so that what stands below stays in place; when
 * they cannot be had, it says why.
 */
export function PictureToCome(props: { name: string; error: Error | null; height?: number }) {
  const { name, error, height } = props;
  return (
    <Picture
      name={name}
      words={
        error ? (
          <ErrorNote error={error} />
        ) : (
          <p role="status" className="text-quiet">
            Reading it
          </p>
        )
      }
    >
      <PlotPlace height={height} />
    </Picture>
  );
}

/** What of the bench the pictures rest on. */
export function useBenchKey() {
  const bench = useQuery(benchQuery()).data;
  return JSON.stringify([bench?.coffee?.id, bench?.grind_setting, bench?.dose_g, bench?.water_c]);
}
