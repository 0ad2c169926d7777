import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useMemo } from "react";
import { answered, client, type History } from "../api/client";
import { historyQuery, profilesQuery } from "../api/queries";
import { differs, useDrafts } from "./drafts";
import { asProfile, type LoosePhase, type LooseProfile, loosened, replaced } from "./loose";

/** A profile being edited: the draft over its newest saved version. */
export function usePlanned(history: History) {
  const { id } = history;
  const saved = useMemo(
    () => ({ number: history.newest.number, profile: loosened(history.newest.profile) }),
    [history],
  );
  const draft = useDrafts((state) => state.drafts[id]);
  const dirty = differs(draft, saved) && (draft?.past.length ?? 0) > 0;
  const profile = draft && dirty ? draft.now : saved.profile;
  const basedOn = draft && dirty ? draft.basedOn : saved.number;
  const { mutate, isPending, error, reset } = useSave(id, basedOn, profile);
  // The same object as long as nothing in it changed: what is costly to draw rests on it.
  return useMemo(() => {
    const store = useDrafts.getState();
    return {
      id,
      saved,
      profile,
      dirty,
      basedOn,
      overtaken: basedOn !== saved.number,
      canUndo: Boolean(draft?.past.length),
      canRedo: Boolean(draft?.future.length),
      edit: (field: string, next: LooseProfile) => store.edit(id, saved, field, next),
      undo: () => store.undo(id),
      redo: () => store.redo(id),
      drop: () => store.drop(id),
      putOnTop: () => store.rebase(id, saved.number),
      save: { mutate, isPending, error, reset },
    };
  }, [id, saved, profile, dirty, basedOn, draft, mutate, isPending, error, reset]);
}

export type Planned = ReturnType<typeof usePlanned>;

/** Save the draft as the next version. What is typed while it is on its way stays a draft. */
function useSave(id: number, basedOn: number, profile: LooseProfile) {
  const queryClient = useQueryClient();
  return useMutation({
    mutationFn: (label: string | null) =>
      answered(
        client.POST("/api/profiles/{profile_id}/versions", {
          params: { path: { profile_id: id } },
          body: { based_on: basedOn, label, profile: asProfile(profile) },
        }),
      ),
    onSuccess: async (version) => {
      await Promise.all([
        queryClient.invalidateQueries({ queryKey: historyQuery(id).queryKey }),
        queryClient.invalidateQueries({ queryKey: profilesQuery().queryKey, exact: true }),
      ]);
      const { drafts, drop, rebase } = useDrafts.getState();
      if (drafts[id]?.now === profile) drop(id);
      else rebase(id, version.number);
    },
    // The newer version someone else saved is what the user must see next.
    onError: () => queryClient.invalidateQueries({ queryKey: historyQuery(id).queryKey }),
  });
}

/** A profile with one phase changed. */
export function withPhase(planned: Planned, index: number, phase: LoosePhase) {
  return { ...planned.profile, phases: replaced(planned.profile.phases, index, phase) };
}
