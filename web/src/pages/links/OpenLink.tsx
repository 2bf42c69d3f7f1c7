import { useEffect } from "react";
import { useMutation } from "@tanstack/react-query";
import { Link, useLocation } from "wouter";
import { api, take } from "../../api/client";
import { notice } from "../../ui/messages";

/** Follows a link that opens a level or a preset. */
export function OpenLink({ secret }: { secret: string }) {
  const [, go] = useLocation();
  const open = useMutation({
    mutationFn: () => take(api.POST("/api/v1/links/open", { body: { secret } })),
    onSuccess: (opened) => {
      notice(`You may see ${opened.name} now.`);
      go(opened.level ? `/levels/${opened.level}` : "/presets", { replace: true });
    },
  });
  const { mutate } = open;
  useEffect(() => mutate(), [mutate]);
  return (
    <main className="grid h-full place-items-center">
      <p className={open.isError ? "" : "dim"}>
        {open.isError ? open.error.message : "Opening…"}{" "}
        {open.isError && (
          <Link href="/" className="underline">
            Back to the levels
          </Link>
        )}
      </p>
    </main>
  );
}
