import { TriangleAlert } from "lucide-react";
import type { ReactNode } from "react";
import { isRouteErrorResponse, Link, useRouteError } from "react-router";
import { ApiError } from "../api/client";
import { Button } from "./Button";
import { styles } from "./styles";

/** What an empty view says: what is missing, and what to do first. */
export function Empty({ title, children }: { title: string; children: ReactNode }) {
  return (
    <main className="mx-auto max-w-md px-4 py-16 text-center">
      <h2 className="text-lg">{title}</h2>
      <div className="mt-2 space-y-4 text-quiet">{children}</div>
    </main>
  );
}

/** Something went wrong: the server's words, and a way on. */
export function ErrorNote({ error, children }: { error: unknown; children?: ReactNode }) {
  const words = error instanceof Error ? error.message : "Something went wrong on this page.";
  return (
    <div role="alert" className="flex items-start gap-2 rounded-sm border border-stop p-3">
      <TriangleAlert size={16} className="mt-px shrink-0 text-stop" aria-hidden="true" />
      <div className="min-w-0 space-y-2 whitespace-pre-line break-words">
        <p>{words}</p>
        {children}
      </div>
    </div>
  );
}

/** A page whose data could not be read; a missing thing differs from a lost connection. */
export function PageError({ error, retry }: { error: unknown; retry: () => void }) {
  const missing = error instanceof ApiError && error.status === 404;
  return (
    <main className="mx-auto max-w-lg p-6">
      <ErrorNote error={error}>
        {missing ? (
          <Link className={styles.word} to="/plan">
            Go to the profiles
          </Link>
        ) : (
          <Button onClick={retry}>Try again</Button>
        )}
      </ErrorNote>
    </main>
  );
}

/** While the first data are on their way. */
export function Loading({ what }: { what: string }) {
  return (
    <p role="status" className="p-6 text-quiet">
      Reading {what}
    </p>
  );
}

/** An address that leads nowhere. */
export function NotFound() {
  return (
    <Empty title="There is nothing at this address">
      <Link className={styles.word} to="/plan">
        Go to the profiles
      </Link>
    </Empty>
  );
}

/** The last resort: a fault of ours while drawing a page. Nothing the user typed is lost by it. */
export function Trouble() {
  const error = useRouteError();
  const words = isRouteErrorResponse(error) ? error.statusText : String(error);
  return (
    <div className="mx-auto max-w-lg p-6">
      <ErrorNote
        error={new Error(`Something went wrong on this page: ${words}. What you typed is kept.`)}
      >
        <a className={styles.word} href="/plan">
          Reload
        </a>
      </ErrorNote>
    </div>
  );
}
