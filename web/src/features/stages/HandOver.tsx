import { useState } from "react";
import { useMutation, useQuery } from "@tanstack/react-query";
import { ArrowLeftRight, Camera, Clipboard, Copyright, FileJson, Layers, Package, Palette, Table } from "lucide-react";
import { api, take, takeShot, type Document } from "../../api/client";
import type { Context } from "../../commands";
import { bench, camera } from "../../model/bench";
import { lightList } from "../../model/lightList";
import { complain, notice } from "../../ui/messages";
import { Group } from "./buttons";
import { Credits } from "./Credits";
import { EditorText } from "./EditorText";

/** What leaves the bench: lights for another editor, the level as a file, its pictures, its grade. */
export function HandOver({ doc, context, onApplied }: { doc: Document; context: Context; onApplied: () => void }) {
  const [editor, setEditor] = useState(false);
  const [credits, setCredits] = useState(false);
  const { id, name } = doc.level;
  const file = (path: string) => location.assign(`/api/v1/levels/${id}/${path}`);
  async function copyLights() {
    const some = context.selection.length > 0;
    const text = lightList(doc.document, some ? context.selection : null);
    try {
      await navigator.clipboard.writeText(text);
      notice(`Copied ${some ? "the selected lights" : "all lights"} as a table: paste them into a sheet or a text.`);
    } catch {
      complain(new Error("The browser does not let this page write to the clipboard."));
    }
  }
  return (
    <>
      <Group title="Another editor">
        <Item icon={<ArrowLeftRight size={14} />} words="Text for an editor…" about="Lights, sun, fog, glows in its terms; and back" onClick={() => setEditor(true)} />
        {editor && <EditorText doc={doc} context={context} onApplied={onApplied} onClose={() => setEditor(false)} />}
      </Group>
      <Group title="The level">
        <Item icon={<Package size={14} />} words="glTF 2.0 (.glb)" about="Geometry, materials, images, lights, cameras" onClick={() => file("export?format=glb")} />
        <LeftOut id={id} revision={doc.level.revision} />
        <Item icon={<FileJson size={14} />} words="Level document (.json)" about="Everything; it can be brought in again" onClick={() => file("export?format=json")} />
        <Item icon={<Palette size={14} />} words="Grade (.cc)" about="The colour decisions of the look, as ASC CDL" onClick={() => file("grade.cc")} />
        <Item icon={<Table size={14} />} words="Lights (.csv)" about="A list: places, directions, strengths with units" onClick={() => file("export?format=csv")} />
        <Item icon={<FileJson size={14} />} words="Lights (.lights.json)" about="The same for programs, with linear colours" onClick={() => file("export?format=lights")} />
        <Item icon={<Copyright size={14} />} words="Credits…" about="Whom to name for what it shows, with licences" onClick={() => setCredits(true)} />
        {credits && <Credits doc={doc} onClose={() => setCredits(false)} />}
        <Item icon={<Clipboard size={14} />} words="Copy the lights" about="As a table with units, those selected or all" onClick={copyLights} />
      </Group>
      <Group title="The baked light, with a model that lies on it">
        <Item icon={<Layers size={14} />} words="OpenEXR pages (.zip)" about="Half-floats, in lux; a manifest says where what lies" onClick={() => file("lightmap/files?pages=exr")} />
        <Item icon={<Layers size={14} />} words="OpenEXR pages with directions (.zip)" about="For surfaces with normal maps; takes as long as four bakes" onClick={() => file("lightmap/files?pages=exr&directions=true")} />
        <Item icon={<Layers size={14} />} words="Radiance HDR pages (.zip)" about="The same for what reads no OpenEXR" onClick={() => file("lightmap/files?pages=hdr")} />
        <Item icon={<Layers size={14} />} words="PNG pages, 8 bit (.zip)" about="RGBM: color times alpha times the range" onClick={() => file("lightmap/files?pages=png&encoding=rgbm")} />
      </Group>
      <Group title="Pictures">
        <ShotItem id={id} name={name} />
        <Item icon={<Camera size={14} />} words="All viewpoints" about="Shots of each, and how they compare" onClick={() => bench.set({ panel: "shots", folded: { ...bench.get().folded, drawer: false } })} />
      </Group>
    </>
  );
}

/** What glTF has no place for, and what it has another form for. */
function LeftOut({ id, revision }: { id: string; revision: number }) {
  const [asked, ask] = useState(false);
  const report = useQuery({ queryKey: ["export-report", id, revision], enabled: asked, queryFn: () => take(api.GET("/api/v1/levels/{id}/export/report", { params: { path: { id } } })) });
  return (
    <details className="px-3 pl-9 text-[11px]" onToggle={(e) => ask(e.currentTarget.open)}>
      <summary className="dim cursor-pointer">What it leaves out or changes</summary>
      {report.isPending && asked && <p className="dim">Looking…</p>}
      {report.isError && <p className="text-error">{report.error.message}</p>}
      <ul className="list-disc pl-4">
        {report.data?.left.map((l) => (
          <li key={l}>left out: {l}</li>
        ))}
        {report.data?.notes.map((n) => (
          <li key={n} className="dim">
            {n}
          </li>
        ))}
      </ul>
    </details>
  );
}

type ItemProps = { icon: React.ReactNode; words: string; about: string; disabled?: boolean; onClick: () => void };

function Item({ icon, words, about, disabled = false, onClick }: ItemProps) {
  return (
    <button className="flex w-full items-center gap-2 px-3 py-1 text-left hover:bg-base-300 disabled:opacity-50" disabled={disabled} onClick={onClick}>
      {icon}
      <span className="min-w-0 flex-1">
        <span className="block truncate">{words}</span>
        <span className="dim block text-[11px] leading-[14px]">{about}</span>
      </span>
    </button>
  );
}

function ShotItem({ id, name }: { id: string; name: string }) {
  const shoot = useMutation({
    mutationFn: async () => {
      const from = camera.now?.();
      const a = document.createElement("a");
      a.href = await takeShot(id, { width: 1920, height: 1080, samples: 2, ...(from ? { camera: from } : {}) });
      a.download = `${name}.png`;
      a.click();
      URL.revokeObjectURL(a.href);
    },
    onError: complain,
  });
  return <Item icon={<Camera size={14} />} words={shoot.isPending ? "Taking the shot…" : "A finished picture from here"} about="1920 by 1080, as PNG" disabled={shoot.isPending} onClick={() => shoot.mutate()} />;
}
