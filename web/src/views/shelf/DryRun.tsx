import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import type { Kept } from "../../api/client";
import { benchQuery, profilesQuery } from "../../api/queries";
import { ButtonLink } from "../../ui/Button";
import { Choice } from "../../ui/Choice";
import { DataTable } from "../../ui/DataTable";
import { moment } from "../../ui/format";
import { cn, styles } from "../../ui/styles";

/** A run without coffee: a drilled disc in the basket, every stage timed against the plan. */
export function DryRun({ id, kept }: { id: number; kept: Kept[] }) {
  const bench = useQuery(benchQuery());
  const profiles = useQuery(profilesQuery());
  const [chosen, choose] = useState<number>();
  const profile = profiles.data?.find((one) => one.id === chosen) ?? profiles.data?.[0];
  const here = bench.data?.machine.id === id;
  const last = kept[0];
  return (
    <>
      <div className={styles.standing}>
        <b>Dry run</b>
        <span className="text-quiet">
          {last
            ? `${last.note ? `${last.note}, ` : ""}${moment(last.measured_at)}: ${last.fitted.words[0]}.`
            : "Stage times against the plan, with a drilled disc in place of coffee."}
        </span>
        {here && !bench.data?.machine.wired ? (
          <span className="text-quiet">Not connected: nothing reports when a stage begins.</span>
        ) : here ? (
          <span className="flex items-center gap-2">
            {profile && (
              <Choice
                label="Profile to run"
                value={profile.id}
                options={profiles.data?.map((one) => ({ value: one.id, words: one.name })) ?? []}
                onChange={choose}
              />
            )}
            {profile && (
              <ButtonLink to={`/pull/${profile.id}/${profile.newest}?dry`}>
                Prepare a dry run
              </ButtonLink>
            )}
          </span>
        ) : (
          <span className="text-quiet">Put it on the bench first.</span>
        )}
      </div>
      {last && last.measured.what === "dry-run" && (
        <DataTable
          what="Stage"
          shown
          heads={["planned, s", "began, s"]}
          className={cn(styles.rows, "mt-1")}
          lines={last.measured.rows.map((row) => ({
            name: row.stage,
            cells: [row.planned_s.toFixed(1), row.began_s.toFixed(1)],
          }))}
        />
      )}
    </>
  );
}
