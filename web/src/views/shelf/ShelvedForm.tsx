import { type QueryKey, useQueryClient } from "@tanstack/react-query";
import type { ReactNode } from "react";
import { useNavigate } from "react-router";
import { ApiError } from "../../api/client";
import { benchQuery } from "../../api/queries";
import { DocumentForm } from "../../ui/DocumentForm";
import { type Kind, OnTheBench } from "./OnTheBench";
import { Remove } from "./Remove";

/** The form of one thing on the shelf: saved, put on the bench, taken off; or newly put there. */
export function ShelvedForm(props: {
  kind: Kind;
  /** The thing as it stands; undefined for a new one. */
  thing: { id: number; name: string } | undefined;
  start: Record<string, unknown>;
  list: QueryKey;
  write: (document: Record<string, unknown>) => Promise<{ id: number }>;
  /** What the thing is about, drawn above its fields. */
  picture?: ReactNode;
  children: ReactNode;
}) {
  const { kind, thing, start, list, write, children } = props;
  const queryClient = useQueryClient();
  const navigate = useNavigate();
  const save = async (document: Record<string, unknown>) => {
    let kept: { id: number };
    try {
      kept = await write(document);
    } catch (error) {
      // What was saved elsewhere meanwhile is read, so that the form shows both.
      if (error instanceof ApiError && error.status === 409)
        await queryClient.invalidateQueries({ queryKey: list });
      throw error;
    }
    await queryClient.invalidateQueries({ queryKey: list });
    await queryClient.invalidateQueries({ queryKey: benchQuery().queryKey });
    if (!thing) navigate(`/shelf/${kind}s/${kept.id}`);
  };
  return (
    <DocumentForm
      label={thing?.name ?? `New ${kind}`}
      start={start}
      save={save}
      fresh={!thing}
      picture={props.picture}
      folds={thing !== undefined}
      words={thing ? `Save the ${kind}` : "Add to the shelf"}
      beside={
        thing && (
          <>
            <OnTheBench kind={kind} id={thing.id} />
            <Remove kind={kind} id={thing.id} name={thing.name} list={list} />
          </>
        )
      }
    >
      {children}
    </DocumentForm>
  );
}
