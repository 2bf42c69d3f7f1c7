import { useState, type FormEvent } from "react";
import { useMutation } from "@tanstack/react-query";
import { api, take } from "../../api/client";

/** Makes an account by an invitation. */
export function Join({ secret }: { secret: string }) {
  const [name, setName] = useState("");
  const [password, setPassword] = useState("");
  const join = useMutation({
    mutationFn: async () => {
      await take(api.POST("/api/v1/join", { body: { secret, name, password } }));
      await take(api.POST("/api/v1/session", { body: { name, password } }));
    },
    onSuccess: () => location.assign("/"),
  });
  const submit = (e: FormEvent) => {
    e.preventDefault();
    join.mutate();
  };
  return (
    <main className="grid h-full place-items-center">
      <form onSubmit={submit} className="w-80 border border-[#101010] bg-base-100 p-6">
        <h1 className="mb-1 flex items-center gap-2 text-base font-semibold">
          <img src="/mark.svg" alt="" width={20} height={20} /> Join Grotta
        </h1>
        <p className="dim mb-4">You were invited. Choose a name and a password.</p>
        <label className="mb-2 block">
          <span className="dim mb-0.5 block">Name</span>
          <input className="field" name="name" required autoFocus autoComplete="username" pattern="[a-z0-9][a-z0-9._\-]{0,31}" title="a-z, 0-9, dot, dash and underscore" value={name} onChange={(e) => setName(e.target.value)} />
        </label>
        <label className="mb-3 block">
          <span className="dim mb-0.5 block">Password, at least 10 characters</span>
          <input className="field" type="password" required minLength={10} autoComplete="new-password" value={password} onChange={(e) => setPassword(e.target.value)} />
        </label>
        {join.isError && (
          <p className="mb-3 whitespace-pre-line text-error" role="alert">
            {join.error.message}
          </p>
        )}
        <button className="btn btn-primary btn-sm w-full" disabled={join.isPending}>
          Join
        </button>
      </form>
    </main>
  );
}
