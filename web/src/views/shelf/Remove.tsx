import { type QueryKey, useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { useNavigate } from "react-router";
import { answered, client } from "../../api/client";
import { failureWords } from "../../api/refusals";
import { Button } from "../../ui/Button";
import { FieldError } from "../../ui/NumberField";
import type { Kind } from "./OnTheBench";

/** Taking something off the shelf: asked twice, and refused where something needs it. */
export function Remove(props: { kind: Kind; id: number; name: string; list: QueryKey }) {
  const { kind, id, name, list } = props;
  const [asked, setAsked] = useState(false);
  const navigate = useNavigate();
  const queryClient = useQueryClient();
  const remove = useMutation({
    mutationFn: () =>
      answered(
        client.DELETE("/api/shelf/{kind}/{row_id}", { params: { path: { kind, row_id: id } } }),
      ),
    onSuccess: async () => {
      await queryClient.invalidateQueries({ queryKey: list });
      navigate(`/shelf/${kind}s`);
    },
  });
  return (
    <span className="ml-auto flex flex-wrap items-center gap-2">
      {asked ? (
        <>
          <span>Take {name} off the shelf?</span>
          <Button className="text-stop" onClick={() => remove.mutate()}>
            Remove it
          </Button>
          <Button onClick={() => setAsked(false)}>Keep it</Button>
        </>
      ) : (
        <Button onClick={() => setAsked(true)}>Remove from the shelf</Button>
      )}
      {remove.error && <FieldError>{failureWords(remove.error) ?? ""}</FieldError>}
    </span>
  );
}
