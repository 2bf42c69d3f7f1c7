import { useState, type FormEvent } from "react";
import { api, setCSRF, take } from "../api/client";

export function SignIn({ onDone }: { onDone: () => void }) {
  return (
    <main className="grid h-full place-items-center">
      <div className="w-72 border border-[#101010] bg-base-100 p-6">
        <h1 className="mb-1 flex items-center gap-2 text-base font-semibold">
          <img src="/mark.svg" alt="" width={20} height={20} /> Grotta
        </h1>
        <p className="dim mb-5">The light bench beside your editor.</p>
        <SignInForm onDone={onDone} />
      </div>
    </main>
  );
}

/** Name and password. A given name is that of who signs in again. */
export function SignInForm({ name: given = "", onDone }: { name?: string; onDone: () => void }) {
  const [name, setName] = useState(given);
  const [password, setPassword] = useState("");
  const [fault, setFault] = useState("");
  const [busy, setBusy] = useState(false);

  async function submit(e: FormEvent) {
    e.preventDefault();
    setBusy(true);
    setFault("");
    try {
      const s = await take(api.POST("/api/v1/session", { body: { name, password } }));
      setCSRF(s.csrf);
      onDone();
    } catch (error) {
      setFault((error as Error).message);
    } finally {
      setBusy(false);
    }
  }

  return (
    <form onSubmit={submit}>
      <label className="mb-3 block">
        <span className="dim mb-1 block">Name</span>
        <input className="field" name="name" autoComplete="username" autoFocus={!given} readOnly={given !== ""} required value={name} onChange={(e) => setName(e.target.value)} />
      </label>
      <label className="mb-4 block">
        <span className="dim mb-1 block">Password</span>
        <input className="field" name="password" type="password" autoComplete="current-password" autoFocus={given !== ""} required value={password} onChange={(e) => setPassword(e.target.value)} />
      </label>
      {fault && (
        <p role="alert" className="mb-3 whitespace-pre-line text-error">
          {fault}
        </p>
      )}
      <button className="btn btn-primary btn-sm w-full" disabled={busy}>
        Sign in
      </button>
    </form>
  );
}
