import { useQueryClient } from "@tanstack/react-query";
import { useNews } from "./useNews";

/** Reads a tasting again whenever an answer comes in. */
export function useTableNews(join: string, open: boolean) {
  const queryClient = useQueryClient();
  useNews(open && join ? `/api/tables/${join}/live` : null, () => {
    queryClient.invalidateQueries({ queryKey: ["table", join] });
    queryClient.invalidateQueries({ queryKey: ["tastings"] });
  });
}
