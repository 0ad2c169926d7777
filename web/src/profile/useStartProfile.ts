import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useNavigate } from "react-router";
import { answered, type BenchChange, client, type Profile } from "../api/client";
import { profilesQuery } from "../api/queries";
import { useChangeBench } from "../api/useChangeBench";

interface Start {
  name: string;
  /** What it begins as; without one, the plainest start. */
  profile?: Profile;
  /** The style it begins as, by its key. */
  style?: string;
  /** What of the bench changes with it. */
  bench?: BenchChange;
}

/** Start a profile of its own and go to it; `started` is called just before. */
export function useStartProfile(started: (() => void) | undefined) {
  const navigate = useNavigate();
  const queryClient = useQueryClient();
  const change = useChangeBench();
  return useMutation({
    mutationFn: ({ name, profile, style }: Start) =>
      answered(
        client.POST("/api/profiles", {
          body: { name, ...(profile && { profile }), ...(style && { style }) },
        }),
      ),
    onSuccess: async (version, { bench }) => {
      if (bench && Object.keys(bench).length > 0) await change.mutateAsync(bench);
      await queryClient.invalidateQueries({ queryKey: profilesQuery().queryKey, exact: true });
      started?.();
      navigate(`/plan/${version.profile_id}`);
    },
  });
}

const LONGEST_NAME = 60;

/** A name, with a number where a profile has it already. */
export function useFreeName(name: string) {
  const taken = useQuery(profilesQuery()).data?.map((one) => one.name) ?? [];
  const short = name.slice(0, LONGEST_NAME);
  if (!taken.includes(short)) return short;
  let count = 2;
  const numbered = () => `${name.slice(0, LONGEST_NAME - 4)} ${count}`;
  while (taken.includes(numbered())) count += 1;
  return numbered();
}
