import { useState } from "react";
import { useMutation, useQuery } from "@tanstack/react-query";
import { Dialog, Modal, ModalOverlay } from "react-aria-components";
import { Check, Clipboard, Download, FileUp, X } from "lucide-react";
import { asBytes } from "../../api/bringIn";
import { api, take, type Document, type Schemas } from "../../api/client";
import type { Context } from "../../commands";
import { selectedThings } from "../../model/edits";
import { handedOver } from "../../model/things";
import { complain, noticeWithUndo } from "../../ui/messages";
import { useSettled } from "../../ui/useSettled";

type Props = { doc: Document; context: Context; onApplied: () => void; onClose: () => void };

/** What lights the level, as text of another editor: read, copied, saved; and taken back. */
export function EditorText({ doc, context, onApplied, onClose }: Props) {
  const { id, revision, name } = doc.level;
  const [to, setTo] = useState("");
  const [only, setOnly] = useState(false);
  const [back, setBack] = useState(false);
  const targets = useQuery({ queryKey: ["hand-overs"], queryFn: () => take(api.GET("/api/v1/hand-overs")) });
  const items = targets.data?.items ?? [];
  // The hand-over of the level's platform is the first guess.
  const target = items.find((h) => h.name === to) ?? items.find((h) => h.name === doc.document.platform) ?? items[0];
  const selected = selectedThings(doc.document, context.selection).filter((t) => handedOver.has(t.part));
  const ids = only ? selected.map((t) => t.id) : [];
  return (
    <ModalOverlay isOpen isDismissable onOpenChange={(open) => !open && onClose()} className="fixed inset-0 z-40 grid place-items-center bg-black/50">
      <Modal>
        <Dialog aria-label="For another editor" className="flex h-[82vh] w-[min(940px,94vw)] flex-col border border-[#3a3a3a] bg-base-100 shadow-2xl outline-none">
          <header className="flex items-center gap-2 border-b border-[#101010] px-3 py-2">
            <h2 className="font-semibold">For another editor</h2>
            <select className="field !w-60" aria-label="Editor" value={target?.name ?? ""} onChange={(e) => setTo(e.target.value)}>
              {items.map((h) => (
                <option key={h.name} value={h.name}>
                  {h.title}
                  {h.owner ? ` (${h.owner})` : ""}
                </option>
              ))}
            </select>
            {!back && (
              <label className="flex items-center gap-1">
                <input type="checkbox" className="checkbox checkbox-xs" checked={only} disabled={selected.length === 0} onChange={(e) => setOnly(e.target.checked)} />
                {selected.length > 0 ? `only the ${selected.length} selected` : "only what is selected"}
              </label>
            )}
            <span className="flex-1" />
            <button className="btn btn-xs" aria-pressed={back} disabled={!target?.reads || !context.canEdit} title={target?.reads ? "Lights that were placed or changed in the editor" : "Text of a template cannot be read back"} onClick={() => setBack(!back)}>
              {back ? "Write it" : "Take text back"}
            </button>
            <button className="grid size-6 place-items-center hover:bg-base-300" aria-label="Close" onClick={onClose}>
              <X size={14} />
            </button>
          </header>
          {target && <p className="dim px-3 py-1 text-[11px]">{aboutTarget(target)}</p>}
          {targets.isPending && <p className="dim p-3">Looking for hand-overs…</p>}
          {targets.isError && <p className="p-3 text-error">{targets.error.message}</p>}
          {target && (back ? <TakeBack key={target.name} id={id} target={target} context={context} onApplied={onApplied} onClose={onClose} /> : <Written id={id} revision={revision} name={name} target={target} only={ids} />)}
        </Dialog>
      </Modal>
    </ModalOverlay>
  );
}

const aboutTarget = (h: Schemas["HandOver"]) => `${h.note ? `${h.note} ` : ""}One unit is ${h.unit_m} m; axes ${h.axes.join(" ")}, ${h.handed}-handed.`;

type WrittenProps = { id: string; revision: number; name: string; target: Schemas["HandOver"]; only: readonly string[] };

function Written({ id, revision, name, target, only }: WrittenProps) {
  const [copied, setCopied] = useState(false);
  const text = useQuery({
    queryKey: ["hand-over", id, revision, target.name, only],
    queryFn: ({ signal }) => take(api.POST("/api/v1/levels/{id}/hand-over", { params: { path: { id } }, body: { to: target.name, only: [...only] }, signal })),
  });
  if (text.isPending) return <p className="dim p-3">Writing…</p>;
  if (text.isError) return <p className="p-3 text-error">{text.error.message}</p>;
  const { data } = text;
  async function copy() {
    try {
      await navigator.clipboard.writeText(data!.text);
      setCopied(true);
      setTimeout(() => setCopied(false), 2000);
    } catch {
      complain(new Error("The browser does not let this page write to the clipboard. Select the text and copy it."));
    }
  }
  function save() {
    const a = document.createElement("a");
    a.href = URL.createObjectURL(new Blob([data!.text], { type: "text/plain" }));
    a.download = `${name.replace(/[^\p{L}\p{N}]+/gu, "-")}.${data!.extension}`;
    a.click();
    setTimeout(() => URL.revokeObjectURL(a.href));
  }
  return (
    <>
      <div className="flex min-h-0 flex-1 border-y border-[#101010]">
        <pre className="min-w-0 flex-1 select-text overflow-auto bg-[#161616] p-3 text-[11px] leading-[1.5]" tabIndex={0} aria-label="Text for the editor">
          {data.text}
        </pre>
        <Losses left={data.left} notes={data.notes} />
      </div>
      <footer className="flex items-center gap-2 px-3 py-2">
        <span className="dim flex-1">{data.things === 1 ? "1 thing" : `${data.things} things`}</span>
        <button className="btn btn-xs" onClick={save}>
          <Download size={13} /> Save as a file
        </button>
        <button className="btn btn-primary btn-xs" onClick={copy}>
          {copied ? <Check size={13} /> : <Clipboard size={13} />} {copied ? "Copied" : "Copy"}
        </button>
      </footer>
    </>
  );
}

/** What a text leaves out, and what it changes. */
function Losses({ left, notes }: { left: readonly string[]; notes: readonly string[] }) {
  return (
    <aside className="w-72 shrink-0 overflow-auto border-l border-[#101010] p-3 text-[11px]" aria-label="What it leaves out or changes">
      {left.length + notes.length === 0 && <p>Everything is said as it is.</p>}
      {left.length > 0 && <LossList title="Left out" lines={left} />}
      {notes.length > 0 && <LossList title="Changed" lines={notes} />}
    </aside>
  );
}

function LossList({ title, lines }: { title: string; lines: readonly string[] }) {
  return (
    <>
      <h3 className="mb-1 font-semibold">{title}</h3>
      <ul className="mb-3 flex flex-col gap-1">
        {lines.map((l) => (
          <li key={l} className="break-words">
            {l}
          </li>
        ))}
      </ul>
    </>
  );
}

type BackProps = { id: string; target: Schemas["HandOver"]; context: Context; onApplied: () => void; onClose: () => void };

const restMs = 300; // it is compared once nobody types

/** Text of the editor, pasted or from a file, and what it would change. */
function TakeBack({ id, target, context, onApplied, onClose }: BackProps) {
  const [text, setText] = useState("");
  const asked = useSettled(text, restMs);
  const send = (body: string, dry: boolean, signal?: AbortSignal) =>
    take(api.POST("/api/v1/levels/{id}/hand-back", { params: { path: { id }, query: { from: target.name, dry } }, body, ...asBytes, ...(signal ? { signal } : {}) }));
  const would = useQuery({ queryKey: ["hand-back", id, target.name, asked], enabled: asked.trim() !== "", staleTime: 0, queryFn: ({ signal }) => send(asked, true, signal) });
  const doIt = useMutation({
    mutationFn: () => send(asked, false),
    onSuccess: (b) => {
      noticeWithUndo(`Taken back: ${b.added.length} added, ${b.changed.length} changed.`, context.undo);
      onApplied();
      onClose();
    },
    onError: complain,
  });
  const changes = (would.data?.added.length ?? 0) + (would.data?.changed.length ?? 0);
  return (
    <>
      <div className="flex min-h-0 flex-1 border-y border-[#101010]">
        <textarea
          className="min-w-0 flex-1 resize-none bg-[#161616] p-3 font-mono text-[11px] leading-[1.5] outline-none"
          aria-label="Text of the editor"
          placeholder="Paste what the editor wrote, or drop its file here."
          spellCheck={false}
          value={text}
          onChange={(e) => setText(e.target.value)}
          onDrop={(e) => {
            const file = e.dataTransfer.files[0];
            if (!file) return;
            e.preventDefault();
            file.text().then(setText, complain);
          }}
        />
        <aside className="w-72 shrink-0 overflow-auto border-l border-[#101010] p-3 text-[11px]" aria-label="What it would change" role="status">
          {text.trim() === "" && <p className="dim">Things are known by their id, else by their name. Only what differs is taken; others are added; nothing is removed.</p>}
          {(would.isFetching || text !== asked) && <p className="dim">Comparing…</p>}
          {would.isError && <p className="text-error">{would.error.message}</p>}
          {would.data && <Outcome back={would.data} />}
        </aside>
      </div>
      <footer className="flex items-center gap-2 px-3 py-2">
        <label className="btn btn-xs">
          <FileUp size={13} /> Open a file
          <input
            type="file"
            hidden
            aria-label="File of the editor"
            onChange={(e) => {
              const file = e.target.files?.[0];
              e.target.value = "";
              file?.text().then(setText, complain);
            }}
          />
        </label>
        <span className="flex-1" />
        <button className="btn btn-primary btn-xs" disabled={changes === 0 || text !== asked || doIt.isPending} onClick={() => doIt.mutate()}>
          {would.data && changes === 0 ? "Nothing to change" : "Take it in"}
        </button>
      </footer>
    </>
  );
}

function Outcome({ back }: { back: Schemas["HandedBack"] }) {
  return (
    <>
      {back.added.length > 0 && <LossList title={`${back.added.length} added`} lines={back.added} />}
      {back.changed.length > 0 && <LossList title={`${back.changed.length} changed`} lines={back.changed} />}
      <p className="mb-3">{back.same} as before</p>
      {back.passed.length > 0 && <LossList title="Not read" lines={back.passed} />}
    </>
  );
}
