import { useState } from "react";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { CopyCheck, Link2 } from "lucide-react";
import { api, take, type Document, type Schemas } from "../../api/client";
import { rigsLike, rigsOf } from "../../model/rigs";
import { counted } from "../../ui/counted";
import { complain, notice, noticeWithUndo } from "../../ui/messages";
import { NameDialog } from "../../ui/NameDialog";
import { useOrigins } from "./Origins";

type Props = { doc: Document; ids: readonly string[]; canEdit: boolean; undo: () => void; onApplied: () => void };

/** For the rig that some things belong to: links it with those that are made alike, or gives what it has to those that
 *  follow the same preset. */
export function RigLinks({ doc, ids, ...rest }: Props) {
  const origins = useOrigins(doc).data?.items;
  const rigs = rigsOf(doc.document, ids);
  const rig = rigs.length === 1 ? rigs[0] : undefined;
  if (!rig || !origins) return null;
  const own = origins.find((o) => o.rig === rig);
  if (!own) {
    const like = rigsLike(doc.document, rig, new Set());
    const followed = origins.find((o) => o.rig && like.includes(o.rig) && o.newest);
    if (followed) return <FollowToo doc={doc} rig={rig} origin={followed} {...rest} />;
    return like.length > 0 ? <LinkAlike doc={doc} rig={rig} like={like} {...rest} /> : null;
  }
  const others = origins.filter((o) => o.rig && o.preset === own.preset && o.id !== own.id).length;
  return others > 0 && own.changed.length > 0 && !own.lost ? <GiveToOthers doc={doc} origin={own} others={others} {...rest} /> : null;
}

type Rest = Omit<Props, "ids">;

/** For a rig that is made as one that follows a preset, such as a copy of it: has it follow, too. */
function FollowToo({ doc, rig, origin, canEdit, onApplied }: Rest & { rig: string; origin: Schemas["Origin"] }) {
  const queries = useQueryClient();
  const { id } = doc.level;
  const [owner, name] = origin.preset.split("/");
  const link = useMutation({
    mutationFn: () => take(api.POST("/api/v1/levels/{id}/origins", { params: { path: { id } }, body: { owner: owner!, name: name!, version: origin.version, rigs: [rig] } })),
    onSuccess: () => {
      onApplied();
      return queries.invalidateQueries({ queryKey: ["origins", id] });
    },
    onError: complain,
  });
  return (
    <div className="px-3 py-1">
      <button className="btn btn-xs w-full" disabled={!canEdit || link.isPending} title="As a rig that is made alike does. What it has of its own stays." onClick={() => link.mutate()}>
        <Link2 size={12} /> Let it follow {name}, too
      </button>
    </div>
  );
}

/** Makes a rig a preset that it follows, and so do the rigs that are made alike. */
function LinkAlike({ doc, rig, like, canEdit, onApplied }: Rest & { rig: string; like: readonly string[] }) {
  const [naming, setNaming] = useState(false);
  return (
    <div className="px-3 py-1">
      <button className="btn btn-xs w-full" disabled={!canEdit} title="A change of one of them can then be given to the others" onClick={() => setNaming(true)}>
        <Link2 size={12} /> Link with {counted(like.length, "rig")} made alike…
      </button>
      {naming && <NameOriginal doc={doc} rig={rig} like={like} onApplied={onApplied} onClose={() => setNaming(false)} />}
    </div>
  );
}

function NameOriginal({ doc, rig, like, onApplied, onClose }: { doc: Document; rig: string; like: readonly string[]; onApplied: () => void; onClose: () => void }) {
  const queries = useQueryClient();
  const { id } = doc.level;
  const link = useMutation({
    mutationFn: async (name: string) => {
      await take(api.POST("/api/v1/presets", { body: { name, level: id, rig } }));
      return take(api.POST("/api/v1/levels/{id}/origins", { params: { path: { id } }, body: { name, rigs: [rig, ...like] } }));
    },
    onSuccess: async (done, name) => {
      notice(`${counted(done.rigs.length, "rig")} follow ${name}.`);
      onApplied();
      onClose();
      await queries.invalidateQueries({ queryKey: ["origins", id] });
      await queries.invalidateQueries({ queryKey: ["presets"] });
    },
  });
  const names = like.slice(0, 6).join(", ") + (like.length > 6 ? ` and ${like.length - 6} more` : "");
  return <NameDialog title="An original for rigs" note={`The rig becomes a preset of yours with this name. These follow it, too: ${names}.`} first={rig} word="Link" error={link.error?.message} busy={link.isPending} onName={(name) => link.mutate(name)} onClose={onClose} />;
}

/** Makes what a rig has the next version of its preset, and brings the others to it. */
function GiveToOthers({ doc, origin, others, canEdit, undo, onApplied }: Rest & { origin: Schemas["Origin"]; others: number }) {
  const queries = useQueryClient();
  const { id } = doc.level;
  const give = useMutation({
    mutationFn: () => take(api.POST("/api/v1/levels/{id}/origins/{origin}/give", { params: { path: { id, origin: origin.id } }, body: {} })),
    onSuccess: async (done) => {
      const kept = done.updated.clashes.length;
      noticeWithUndo(`${counted(done.updated.origins, "other")} brought to ${done.preset}, version ${done.version}.${kept > 0 ? ` ${counted(kept, "field")} of their own stayed.` : ""}`, undo);
      onApplied();
      await queries.invalidateQueries({ queryKey: ["origins", id] });
      await queries.invalidateQueries({ queryKey: ["presets"] });
    },
    onError: complain,
  });
  return (
    <div className="px-3 py-1">
      <button className="btn btn-xs w-full" disabled={!canEdit || give.isPending} title="It becomes the next version of the preset, and the others are brought to it. What each has of its own stays." onClick={() => give.mutate()}>
        <CopyCheck size={12} /> Give this to the other {others === 1 ? "one" : others}
      </button>
    </div>
  );
}
