import { useState } from "react";
import { useQuery } from "@tanstack/react-query";
import { ChevronDown, ChevronRight } from "lucide-react";
import { asBytes } from "../../api/bringIn";
import { api, take, type Document, type Schemas } from "../../api/client";
import type { Context } from "../../commands";
import { platformOf } from "../../model/platforms";
import { handedOver, type Thing } from "../../model/things";
import { useSettled } from "../../ui/useSettled";

const restMs = 300; // it is compared once nobody types
let wasOpen = false; // the section stays open from one selection to the next

type Props = { doc: Document; things: readonly Thing[]; canEdit: boolean; edit: Context["edit"] };

/** The selected things in the terms of the level's platform: its units, axes, angles and colours. What is typed there
 *  is read back by the same rules. */
export function TargetWords({ doc, things, canEdit, edit }: Props) {
  const [open, setOpen] = useState(wasOpen);
  const platform = platformOf(doc.document);
  const target = useQuery({ queryKey: ["hand-overs"], enabled: open, queryFn: () => take(api.GET("/api/v1/hand-overs")) }).data?.items.find((h) => h.name === platform);
  const ids = things.filter((t) => handedOver.has(t.part)).map((t) => t.id);
  if (ids.length === 0) return null;
  const toggle = () => {
    wasOpen = !open;
    setOpen(wasOpen);
  };
  return (
    <section className="section">
      <button className="flex w-full items-center gap-1 text-left" aria-expanded={open} onClick={toggle}>
        {open ? <ChevronDown size={12} /> : <ChevronRight size={12} />}
        <h3 className="font-semibold text-[#b4b4b4]">In the terms of {platform}</h3>
      </button>
      {open && (target ? <Words key={ids.join()} doc={doc} ids={ids} target={target} canEdit={canEdit && target.reads} edit={edit} /> : <p className="dim">No hand-over is called {platform}: nothing says how it writes lights.</p>)}
    </section>
  );
}

type WordsProps = { doc: Document; ids: readonly string[]; target: Schemas["HandOver"]; canEdit: boolean; edit: Context["edit"] };

function Words({ doc, ids, target, canEdit, edit }: WordsProps) {
  const { id, revision } = doc.level;
  const written = useQuery({
    queryKey: ["hand-over", id, revision, target.name, ids],
    queryFn: ({ signal }) => take(api.POST("/api/v1/levels/{id}/hand-over", { params: { path: { id } }, body: { to: target.name, only: [...ids] }, signal })),
  });
  const [typed, setTyped] = useState<string | null>(null);
  const text = typed ?? written.data?.text ?? "";
  const asked = useSettled(typed ?? "", restMs);
  const would = useQuery({
    queryKey: ["hand-back", id, revision, target.name, asked],
    enabled: asked.trim() !== "",
    staleTime: 0,
    queryFn: ({ signal }) => take(api.POST("/api/v1/levels/{id}/hand-back", { params: { path: { id }, query: { from: target.name, dry: true } }, body: asked, ...asBytes, signal })),
  });
  if (written.isPending) return <p className="dim">Writing…</p>;
  if (written.isError) return <p className="text-error">{written.error.message}</p>;
  if (written.data.things === 0) return <p className="dim">{target.title} has no words for this.</p>;
  const operation = typed === asked ? would.data?.operation : undefined;
  const takeIn = () => {
    if (!operation) return;
    edit({ ...operation, label: `In the terms of ${target.title}` });
    setTyped(null);
  };
  return (
    <div className="mt-1">
      <textarea
        className="h-52 w-full resize-y bg-[#161616] p-2 font-mono text-[11px] leading-[1.5] outline-none"
        aria-label={`In the terms of ${target.title}`}
        spellCheck={false}
        readOnly={!canEdit}
        value={text}
        onChange={(e) => setTyped(e.target.value)}
        onKeyDown={(e) => {
          if (e.key === "Enter" && (e.ctrlKey || e.metaKey)) takeIn();
          if (e.key === "Escape") setTyped(null);
        }}
      />
      {typed !== null && (
        <>
          <div role="status" className="text-[11px]">
            {would.isError ? <p className="text-error">{would.error.message}</p> : (would.data?.changed ?? []).map((c) => <p key={c}>{c}</p>)}
            {would.data?.added.map((a) => <p key={a}>new: {a}</p>)}
          </div>
          <div className="mt-1 flex gap-1">
            <button className="btn btn-primary btn-xs flex-1" disabled={!operation?.steps?.length} title="Ctrl Enter" onClick={takeIn}>
              {would.data && !would.data.operation ? "Nothing to change" : "Take it in"}
            </button>
            <button className="btn btn-xs" title="Esc" onClick={() => setTyped(null)}>
              As it was
            </button>
          </div>
        </>
      )}
    </div>
  );
}
