import { useRef, useState } from "react";
import { useMutation } from "@tanstack/react-query";
import { FolderInput } from "lucide-react";
import { bringInAgain, bundlesOf, type Bundle, type HowToRead } from "../../api/bringIn";
import type { Schemas } from "../../api/client";
import type { Context } from "../../commands";
import { caughtWords } from "../../ui/caught";
import { complain, noticeWithUndo } from "../../ui/messages";
import { ReadingFields } from "../../ui/ReadingFields";
import { useReadingChoices } from "../data";

type Offer = { bundle: Bundle; merged: Schemas["Merged"] };

/** Takes a file that has changed in the editor into the level again, after saying what that changes. */
export function BringInAgain({ context, onApplied }: { context: Context; onApplied: () => void }) {
  const file = useRef<HTMLInputElement>(null);
  const [how, setHow] = useState<HowToRead>({});
  const [asking, setAsking] = useState(false);
  const [offer, setOffer] = useState<Offer | null>(null);
  const choices = useReadingChoices();
  const { id } = context.doc.level;
  const look = useMutation({
    mutationFn: async (bundle: Bundle) => ({ bundle, merged: await bringInAgain(id, bundle, how, true) }),
    onSuccess: setOffer,
    onError: complain,
  });
  const doIt = useMutation({
    mutationFn: (o: Offer) => bringInAgain(id, o.bundle, how, false),
    onSuccess: (m) => {
      setOffer(null);
      noticeWithUndo(m.words.join("\n"), context.undo);
      onApplied();
    },
    onError: complain,
  });
  const nothing = offer !== null && offer.merged.added.length + offer.merged.changed.length + offer.merged.removed.length === 0;
  return (
    <div className="px-2">
      <div className="flex items-center gap-1">
        <button className="flex h-[26px] flex-1 items-center gap-2 bg-base-300 px-2 hover:bg-[#3a3a3a] disabled:opacity-40" disabled={!context.canEdit || look.isPending} title="Geometry of an earlier import is replaced; lights, materials and densities stay" onClick={() => file.current?.click()}>
          <FolderInput size={13} /> {look.isPending ? "Comparing…" : "Bring in again"}
        </button>
        <button className="btn btn-ghost btn-xs" aria-expanded={asking} title="Unit and axes of the file; without them it is read as before" onClick={() => setAsking(!asking)}>
          {Object.keys(how).length > 0 ? "not as before" : "as before"}
        </button>
      </div>
      {asking && (
        <div className="mt-1">
          <ReadingFields choices={{ ...choices, scenes: offer?.merged.scenes }} how={how} none="as before" onChange={setHow} />
        </div>
      )}
      <input
        ref={file}
        type="file"
        hidden
        multiple
        aria-label="Changed file"
        onChange={(e) => {
          const picked = [...(e.target.files ?? [])].map((f) => ({ path: f.name, file: f }));
          e.target.value = "";
          const [bundle] = bundlesOf(picked);
          if (bundle) look.mutate(bundle);
        }}
      />
      {offer && (
        <div className="mt-1 border border-[#101010] bg-base-200 p-2" role="status">
          <p className="font-semibold">{offer.bundle.main.file.name}</p>
          <ul>
            {[...offer.merged.words, ...offer.merged.notes, ...(offer.merged.caught ?? []).map(caughtWords), ...offer.merged.left.map((l) => `left out: ${l}`)].map((w) => (
              <li key={w}>{w}</li>
            ))}
          </ul>
          <div className="mt-1 flex gap-1">
            <button className="btn btn-primary btn-xs flex-1" disabled={nothing || doIt.isPending} onClick={() => doIt.mutate(offer)}>
              {nothing ? "Nothing to change" : "Take it in"}
            </button>
            <button className="btn btn-xs" onClick={() => setOffer(null)}>
              Leave it
            </button>
          </div>
        </div>
      )}
    </div>
  );
}
