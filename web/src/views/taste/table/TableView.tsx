import { useQuery } from "@tanstack/react-query";
import { Link, useParams } from "react-router";
import { tableQuery } from "../../../api/queries";
import { useTableNews } from "../../../api/useTableNews";
import { buttonStyle } from "../../../ui/Button";
import { ErrorNote, Loading } from "../../../ui/Messages";
import { Sheet } from "./Sheet";

/** The first page on a phone: who is tasting. */
export function TableView() {
  const { join = "" } = useParams();
  const table = useQuery(tableQuery(join));
  useTableNews(join, table.data?.state === "open");
  if (table.isError && !table.data)
    return (
      <Sheet>
        <ErrorNote error={table.error} />
      </Sheet>
    );
  if (!table.data) return <Loading what="the tasting" />;
  return (
    <Sheet>
      <h1>Who are you?</h1>
      <ul className="mt-4 grid gap-2">
        {table.data.seats.map((seat) => (
          <li key={seat.taster_id}>
            <Link
              to={`/table/${join}/${seat.taster_id}`}
              className={buttonStyle("plain", "min-h-12 w-full text-[17px]")}
            >
              <span className="truncate">{seat.name}</span>
            </Link>
          </li>
        ))}
      </ul>
      <p className="mt-4 text-quiet">
        {table.data.state === "closed"
          ? "This tasting is closed. Pick your name to see your cups."
          : "Taste on your own: everybody sees the results when the tasting is closed."}
      </p>
    </Sheet>
  );
}
