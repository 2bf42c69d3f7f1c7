import { useState } from "react";
import { Window } from "./Window";

const pattern = "[a-z0-9][a-z0-9._\\-]{0,63}";

type Props = { title: string; note: string; first: string; word: string; error?: string | undefined; busy: boolean; onName: (name: string) => void; onClose: () => void };

/** Asks for a name as presets and teams have it. */
export function NameDialog({ title, note, first, word, error, busy, onName, onClose }: Props) {
  const [name, setName] = useState(first);
  return (
    <Window title={title} note={note} onClose={onClose}>
      <form
        onSubmit={(e) => {
          e.preventDefault();
          onName(name);
        }}
      >
        <input className="field mb-2" aria-label="Name" autoFocus required pattern={pattern} title="a-z, 0-9, dot, dash and underscore" value={name} onChange={(e) => setName(e.target.value)} onFocus={(e) => e.target.select()} />
        {error && (
          <p className="mb-2 whitespace-pre-line text-error" role="alert">
            {error}
          </p>
        )}
        <div className="flex justify-end gap-2">
          <button type="button" className="btn btn-ghost btn-sm" onClick={onClose}>
            Cancel
          </button>
          <button className="btn btn-primary btn-sm" disabled={busy}>
            {word}
          </button>
        </div>
      </form>
    </Window>
  );
}
