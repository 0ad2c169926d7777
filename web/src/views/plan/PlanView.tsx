import { useQuery } from "@tanstack/react-query";
import { useEffect } from "react";
import { Link, Navigate, useParams, useSearchParams } from "react-router";
import { beginningQuery, historyQuery, profilesQuery } from "../../api/queries";
import { lastPlanned, rememberPlanned } from "../../profile/lastPlanned";
import { Empty, Loading, PageError } from "../../ui/Messages";
import { styles } from "../../ui/styles";
import { NewProfile } from "./NewProfile";
import { PlanSheet } from "./PlanSheet";

/** Plan: design a profile and see what it should do. */
export function PlanView() {
  const { profileId } = useParams();
  return profileId === undefined ? (
    <NoneChosen />
  ) : (
    <Chosen key={profileId} id={Number(profileId)} />
  );
}

/** Go to the profile last looked at, or the one last saved; without any, say how to start. */
function NoneChosen() {
  const profiles = useQuery(profilesQuery());
  const beginning = useQuery(beginningQuery());
  const [search] = useSearchParams();
  if (profiles.isError)
    return <PageError error={profiles.error} retry={() => profiles.refetch()} />;
  if (beginning.data?.empty && !search.has("plain")) return <Navigate to="/begin" replace />;
  if (!profiles.data || beginning.isPending) return <Loading what="the profiles" />;
  const chosen = lastPlanned(profiles.data);
  if (chosen) return <Navigate to={`/plan/${chosen.id}`} replace />;
  return (
    <Empty title="No profile yet">
      <p>
        A profile is what the machine does through a shot, phase by phase. Give your first one a
        name; it starts as a gentle fill and a steady nine bar, and every number in it is yours to
        change.
      </p>
      <NewProfile main />
      <p className="mt-3">
        New to profiles?{" "}
        <Link className={styles.word} to="/first-week">
          A first week, step by step
        </Link>
      </p>
    </Empty>
  );
}

function Chosen({ id }: { id: number }) {
  const history = useQuery({ ...historyQuery(id), enabled: Number.isInteger(id) });
  useEffect(() => rememberPlanned(id), [id]);
  if (!Number.isInteger(id)) return <Navigate to="/plan" replace />;
  if (history.data) return <PlanSheet history={history.data} />;
  if (history.isError) {
    rememberPlanned(null);
    return <PageError error={history.error} retry={() => history.refetch()} />;
  }
  return <Loading what="the profile" />;
}
