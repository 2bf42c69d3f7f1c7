import { useState } from "react";
import type { Document, Schemas } from "../../api/client";
import { counted } from "../../ui/counted";
import { ago } from "../../ui/time";
import { useReviews, useSaying } from "./useTalk";

type Review = Schemas["Review"];
const stateWords: Record<Review["state"], string> = { asked: "asked", approved: "approved", changes_wanted: "changes wanted" };

/** Judgements of revisions: asked for, and given. */
export function Reviews({ doc, user, canAsk }: { doc: Document; user: string; canAsk: boolean }) {
  const reviews = useReviews(doc.level.id);
  const items = reviews.data?.items ?? [];
  return (
    <section aria-label="Reviews">
      <h3 className="mb-1 font-semibold">Reviews</h3>
      {canAsk && <Ask doc={doc} user={user} />}
      {reviews.isSuccess && items.length === 0 && <p className="dim">No revision was judged yet.</p>}
      <ul>
        {items.map((r) => (
          <li key={r.id} className="border-b border-[#101010] py-1">
            <p className="flex gap-2">
              <span className="min-w-0 flex-1 truncate">
                Revision {r.revision}: <b className={r.state === "changes_wanted" ? "text-warning" : ""}>{stateWords[r.state]}</b>
              </span>
              <span className="dim shrink-0">{ago(r.answered ?? r.created)}</span>
            </p>
            <p className="dim text-[11px]">
              {r.asker} asked {r.reviewer}; {counted(r.errors, "error")}, {counted(r.warnings, "warning")}
            </p>
            {(r.answer || r.text) && <p className="whitespace-pre-wrap break-words">{r.answer || r.text}</p>}
            {r.state === "asked" && r.reviewer === user && <Answer level={doc.level.id} review={r.id} />}
          </li>
        ))}
      </ul>
    </section>
  );
}

function Ask({ doc, user }: { doc: Document; user: string }) {
  const { ask } = useSaying(doc.level.id);
  const [who, setWho] = useState("");
  const [text, setText] = useState("");
  const names = [doc.level.owner, ...doc.members.map((m) => m.user)].filter((n) => n !== user);
  return (
    <form
      className="mb-2 flex flex-col gap-1"
      onSubmit={(e) => {
        e.preventDefault();
        ask.mutate({ reviewer: who, ...(text && { text }) }, { onSuccess: () => (setWho(""), setText("")) });
      }}
    >
      <div className="flex gap-1">
        <input className="field" list="reviewers" aria-label="Reviewer" placeholder="who judges" required value={who} onChange={(e) => setWho(e.target.value)} />
        <datalist id="reviewers">
          {names.map((n) => (
            <option key={n} value={n} />
          ))}
        </datalist>
        <button className="btn btn-xs" disabled={ask.isPending || who === ""}>
          {ask.isPending ? "Checking…" : "Ask"}
        </button>
      </div>
      <input className="field" aria-label="What to look at" placeholder="what to look at" maxLength={4000} value={text} onChange={(e) => setText(e.target.value)} />
    </form>
  );
}

function Answer({ level, review }: { level: string; review: string }) {
  const { answer } = useSaying(level);
  const [text, setText] = useState("");
  const say = (state: "approved" | "changes_wanted") => answer.mutate({ review, body: { state, ...(text && { text }) } });
  return (
    <div className="mt-1 flex flex-col gap-1">
      <input className="field" aria-label="Your words" placeholder="your words" maxLength={4000} value={text} onChange={(e) => setText(e.target.value)} />
      <div className="flex gap-1">
        <button className="btn btn-xs" disabled={answer.isPending} onClick={() => say("approved")}>
          Approve
        </button>
        <button className="btn btn-xs" disabled={answer.isPending} onClick={() => say("changes_wanted")}>
          Ask for changes
        </button>
      </div>
    </div>
  );
}
