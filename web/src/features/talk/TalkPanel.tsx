import { useState } from "react";
import { Camera, Check, MapPin, Pencil, RotateCcw, Trash2 } from "lucide-react";
import type { Document } from "../../api/client";
import { bench, camera, useBench, type Vec } from "../../model/bench";
import { thingAt } from "../../model/things";
import { forwardOf } from "../../model/world";
import { counted } from "../../ui/counted";
import { ago } from "../../ui/time";
import { SmallShot } from "../presets/SmallShot";
import { Reviews } from "./Reviews";
import { useSaying, useThreads, type Comment, type Thread } from "./useTalk";

type Props = { doc: Document; user: string };

/** What people say about the level: threads at places and things, and reviews. */
export function TalkPanel({ doc, user }: Props) {
  const { threads, isPending, isError, error } = useThreads(doc.level.id);
  const chosen = useBench((s) => s.thread);
  const [settled, setSettled] = useState(false);
  const shown = threads.filter((t) => settled || !t.first.resolved || t.first.id === chosen);
  const done = threads.filter((t) => t.first.resolved).length;
  const open = shown.find((t) => t.first.id === chosen);
  const canSay = doc.level.role !== "viewer";
  return (
    <div className="flex h-full">
      <div className="flex w-52 shrink-0 flex-col border-r border-[#101010]">
        <div className="flex items-center gap-1 px-2 py-1.5">
          <button className="btn btn-xs" disabled={!canSay} title="Click a spot in the view to say something about it" onClick={() => bench.set({ tool: { is: "comment" } })}>
            <MapPin size={12} /> At a spot
          </button>
          <button className="btn btn-xs" disabled={!canSay} title="Say something about what is selected, or the level" onClick={() => bench.set({ thread: null, remark: { at: null, entity: bench.get().selection.at(-1) ?? "" } })}>
            New
          </button>
          {done > 0 && (
            <label className="dim ml-auto flex items-center gap-1" title="Show also what is settled">
              <input type="checkbox" className="checkbox checkbox-xs" aria-label="Show also what is settled" checked={settled} onChange={(e) => setSettled(e.target.checked)} /> all
            </label>
          )}
        </div>
        <ul className="min-h-0 flex-1 overflow-auto" aria-label="Threads">
          {isPending && <li className="dim px-3">Reading…</li>}
          {isError && <li className="px-3 text-error">{error.message}</li>}
          {!isPending && shown.length === 0 && <li className="dim px-3">{done > 0 ? "All is settled." : "Nobody has said anything yet."}</li>}
          {shown.map((t) => (
            <li key={t.first.id}>
              <button className={`block w-full border-b border-[#101010] px-3 py-1 text-left ${t.first.id === chosen ? "bg-[#38332a]" : "hover:bg-base-300"}`} aria-pressed={t.first.id === chosen} onClick={() => bench.set({ thread: t.first.id, remark: null })}>
                <span className={`block truncate ${t.first.resolved ? "dim line-through" : ""}`}>{t.first.text}</span>
                <span className="dim text-[11px]">
                  {t.first.author}, {ago(t.first.created)}
                  {t.answers.length > 0 && `, ${counted(t.answers.length, "answer")}`}
                </span>
              </button>
            </li>
          ))}
        </ul>
      </div>
      <div className="min-w-0 flex-1 overflow-auto p-3">
        <Middle doc={doc} user={user} open={open} canSay={canSay} />
      </div>
      <div className="w-56 shrink-0 overflow-auto border-l border-[#101010] p-3">
        <Reviews doc={doc} user={user} canAsk={canSay} />
      </div>
    </div>
  );
}

function Middle({ doc, user, open, canSay }: Props & { open: Thread | undefined; canSay: boolean }) {
  const remark = useBench((s) => s.remark);
  if (remark) return <NewThread key={JSON.stringify(remark)} doc={doc} at={remark.at} entity={remark.entity} />;
  if (open) return <OpenThread key={open.first.id} doc={doc} thread={open} user={user} canSay={canSay} />;
  return <p className="dim">Choose a thread, or click At a spot and then a place in the view. @name calls somebody.</p>;
}

/** Where a thread hangs, in words. */
function placeWords(doc: Document, entity: string | undefined, at: readonly number[] | undefined | null): string {
  const thing = entity ? thingAt(doc.document, entity) : undefined;
  const name = entity ? (thing?.name ?? `${entity}, which is there no more`) : "";
  return [name, at && at.map((v) => v.toFixed(2)).join(", ")].filter(Boolean).join(" at ") || "the level";
}

function NewThread({ doc, at, entity }: { doc: Document; at: Vec | null; entity: string }) {
  const { add } = useSaying(doc.level.id);
  return (
    <>
      <p className="dim mb-1">About {placeWords(doc, entity, at)}</p>
      <Say
        label="Comment"
        word="Say it"
        busy={add.isPending}
        onSay={(text) =>
          add.mutate(
            { text, ...(at && { at }), ...(entity && { entity }), ...(camera.now && { camera: camera.now() }) },
            { onSuccess: (c) => bench.set({ thread: c.id, remark: null }) },
          )
        }
        onLeave={() => bench.set({ remark: null })}
      />
    </>
  );
}

function OpenThread({ doc, thread: { first, answers }, user, canSay }: Props & { thread: Thread; canSay: boolean }) {
  const saying = useSaying(doc.level.id);
  return (
    <div className="flex flex-wrap gap-3">
      {first.camera && (
        <div className="w-32 shrink-0">
          <SmallShot id={doc.level.id} revision={doc.level.revision} variant={{ revision: first.revision }} from={{ camera: first.camera }} alt="What its author saw" />
          <button className="btn btn-xs mt-1 w-full" onClick={() => first.camera && goTo(first.camera)}>
            <Camera size={12} /> From there
          </button>
        </div>
      )}
      <div className="min-w-44 flex-1">
        <div className="mb-1 flex items-center gap-2">
          <button className="dim min-w-0 flex-1 truncate text-left" onClick={() => first.entity && bench.select([first.entity])}>
            {placeWords(doc, first.entity, first.at)}, revision {first.revision}
            {first.resolved && ` · settled by ${first.resolver}`}
          </button>
          {canSay && (
            <button className="btn btn-xs" disabled={saying.change.isPending} onClick={() => saying.change.mutate({ comment: first.id, body: { resolved: !first.resolved } })}>
              {first.resolved ? <RotateCcw size={12} /> : <Check size={12} />} {first.resolved ? "Reopen" : "Settle"}
            </button>
          )}
        </div>
        <ul className="mb-2">
          {[first, ...answers].map((c) => (
            <Said key={c.id} comment={c} mine={canSay && c.author === user} onChange={(text) => saying.change.mutate({ comment: c.id, body: { text } })} mayDelete={canSay && (c.author === user || doc.level.role === "owner")} onDelete={() => saying.remove.mutate(c.id)} />
          ))}
        </ul>
        {canSay && <Say key={answers.length} label="Answer" word="Answer" busy={saying.add.isPending} onSay={(text) => saying.add.mutate({ text, thread: first.id })} />}
      </div>
    </div>
  );
}

function goTo(c: NonNullable<Comment["camera"]>) {
  const p = c.position as Vec;
  const f = forwardOf(c.rotation);
  bench.fly(p, [p[0] + f[0] * 6, p[1] + f[1] * 6, p[2] + f[2] * 6], c.fov_deg);
}

type SaidProps = { comment: Comment; mine: boolean; mayDelete: boolean; onDelete: () => void; onChange: (text: string) => void };

function Said({ comment: c, mine, mayDelete, onDelete, onChange }: SaidProps) {
  const [changing, setChanging] = useState(false);
  if (changing)
    return (
      <li className="border-b border-[#101010] py-1">
        <Say label="Change your comment" word="Save" first={c.text} busy={false} onSay={(text) => (onChange(text), setChanging(false))} onLeave={() => setChanging(false)} />
      </li>
    );
  return (
    <li className="group flex gap-2 border-b border-[#101010] py-1">
      <div className="min-w-0 flex-1">
        <b>{c.author}</b>{" "}
        <span className="dim text-[11px]">
          {ago(c.created)}
          {c.edited && ", changed"}
        </span>
        <p className="whitespace-pre-wrap break-words">{c.text}</p>
      </div>
      {mine && (
        <button className="btn btn-ghost btn-xs opacity-0 focus:opacity-100 group-hover:opacity-100" aria-label="Change this comment" onClick={() => setChanging(true)}>
          <Pencil size={12} />
        </button>
      )}
      {mayDelete && (
        <button className="btn btn-ghost btn-xs opacity-0 focus:opacity-100 group-hover:opacity-100" aria-label="Delete this comment" onClick={onDelete}>
          <Trash2 size={12} />
        </button>
      )}
    </li>
  );
}

/** A field to say something in; Ctrl Enter sends it. */
export function Say({ label, word, first = "", busy, onSay, onLeave }: { label: string; word: string; first?: string; busy: boolean; onSay: (text: string) => void; onLeave?: () => void }) {
  const [text, setText] = useState(first);
  const send = () => text.trim() && onSay(text.trim());
  return (
    <form
      onSubmit={(e) => {
        e.preventDefault();
        send();
      }}
    >
      <textarea
        className="field !h-14 resize-none py-1"
        aria-label={label}
        maxLength={4000}
        autoFocus={onLeave !== undefined}
        value={text}
        onChange={(e) => setText(e.target.value)}
        onKeyDown={(e) => {
          if (e.key === "Enter" && (e.ctrlKey || e.metaKey)) send();
          if (e.key === "Escape") onLeave?.();
        }}
      />
      <div className="mt-1 flex gap-2">
        <button className="btn btn-xs" disabled={busy || text.trim() === ""} title="Ctrl Enter">
          {word}
        </button>
        {onLeave && (
          <button type="button" className="btn btn-ghost btn-xs" onClick={onLeave}>
            Leave it
          </button>
        )}
      </div>
    </form>
  );
}
