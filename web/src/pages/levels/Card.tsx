import { useEffect, useRef, useState } from "react";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { Button, Menu, MenuItem, MenuTrigger, Popover, Separator } from "react-aria-components";
import { Link } from "wouter";
import { AlertTriangle, CircleAlert, Ellipsis, Users } from "lucide-react";
import { api, take, type LevelInfo } from "../../api/client";
import { bakedWords, checkedWords } from "../../model/levelList";
import { complain, notice } from "../../ui/messages";
import { counted } from "../../ui/counted";
import { ago } from "../../ui/time";
import { ShareDialog } from "./ShareDialog";
import { useThumbnail } from "./useThumbnail";

type Doing = "rename" | "share" | null;

export function Card({ level, user }: { level: LevelInfo; user: string }) {
  const [doing, setDoing] = useState<Doing>(null);
  const mine = level.role === "owner";
  return (
    <li className="group relative border border-[#101010] bg-base-100 focus-within:border-[#4a4a4a] hover:border-[#4a4a4a]">
      <Link href={`/levels/${level.id}`} className="block" tabIndex={doing === "rename" ? -1 : 0}>
        <Thumbnail level={level} />
        <div className="px-3 pb-2 pt-1.5">
          {doing === "rename" ? <div className="h-[23px]" /> : <div className="truncate pr-6 font-semibold leading-[23px]" title={level.name}>{level.name}</div>}
          <div className="dim truncate">
            {counted(level.solids + level.meshes, "shape")}, {counted(level.lights, "light")} · {ago(level.changed)}
          </div>
          <State level={level} />
        </div>
      </Link>
      {doing === "rename" && <Rename level={level} onDone={() => setDoing(null)} />}
      <More level={level} mine={mine} onDoing={setDoing} />
      {doing === "share" && <ShareDialog id={level.id} name={level.name} user={user} onClose={() => setDoing(null)} />}
    </li>
  );
}

/** How its light and its check stand, and whose it is. */
function State({ level }: { level: LevelInfo }) {
  const mark = level.checked?.errors ? <CircleAlert size={12} className="text-error" /> : level.checked?.warnings ? <AlertTriangle size={12} className="text-warning" /> : null;
  if (level.fault) return <div className="truncate text-error" title={level.fault}>cannot be read: {level.fault}</div>;
  return (
    <div className="dim flex items-center gap-1.5">
      <span className="shrink-0">{bakedWords(level)} ·</span>
      {mark}
      <span className="truncate" title={checkedWords(level, true)}>
        {checkedWords(level)}
      </span>
      {level.shared ? (
        <span className="ml-auto flex items-center gap-1" title={`Shared with ${counted(level.shared, "person", "people")}`}>
          <Users size={12} /> {level.shared}
        </span>
      ) : null}
      {level.role !== "owner" && (
        <span className="ml-auto shrink-0">
          {level.owner}'s, {level.role}
        </span>
      )}
    </div>
  );
}

function Thumbnail({ level }: { level: LevelInfo }) {
  const { element, src, failed } = useThumbnail(level.id, `${level.revision} ${level.baked} ${level.baked_revision}`);
  return (
    <div ref={element} className="dim grid aspect-video place-items-center bg-base-200">
      {src && <img src={src} alt={`A shot of ${level.name}`} className="h-full w-full object-cover" />}
      {!src && (failed ? "no picture" : "drawing…")}
    </div>
  );
}

function Rename({ level, onDone }: { level: LevelInfo; onDone: () => void }) {
  const queries = useQueryClient();
  const left = useRef(false); // Escape was pressed, or it was saved
  const field = useRef<HTMLInputElement>(null);
  useEffect(() => {
    // The menu that this came from gives the focus back to its button in the next frame.
    const later = setTimeout(() => field.current?.select(), 50);
    return () => clearTimeout(later);
  }, []);
  const save = async (name: string) => {
    if (left.current) return;
    left.current = true;
    try {
      if (name.trim() && name !== level.name) await take(api.POST("/api/v1/levels/{id}/operations", { params: { path: { id: level.id } }, body: { op: "set", fields: { name: name.trim() } } }));
      await queries.invalidateQueries({ queryKey: ["levels"] });
    } catch (error) {
      complain(error);
    }
    onDone();
  };
  return (
    <input
      className="field absolute !w-[calc(100%-44px)] font-semibold"
      style={{ left: 6, bottom: 44 }}
      aria-label="Name of the level"
      ref={field}
      maxLength={120}
      defaultValue={level.name}
      onBlur={(e) => save(e.target.value)}
      onKeyDown={(e) => {
        if (e.key === "Enter") save(e.currentTarget.value);
        if (e.key === "Escape") {
          left.current = true;
          onDone();
        }
      }}
    />
  );
}

/** What else can be done with a level. */
function More({ level, mine, onDoing }: { level: LevelInfo; mine: boolean; onDoing: (d: Doing) => void }) {
  const queries = useQueryClient();
  const again = () => Promise.all([queries.invalidateQueries({ queryKey: ["levels"] }), queries.invalidateQueries({ queryKey: ["removed-levels"] })]);
  const path = { path: { id: level.id } };
  const copy = useMutation({
    mutationFn: () => take(api.POST("/api/v1/levels/{id}/copy", { params: path, body: {} })),
    onSuccess: (l) => (notice(`Made ${l.name}.`), again()),
    onError: complain,
  });
  const recover = useMutation({ mutationFn: () => take(api.POST("/api/v1/removed-levels/{id}/recover", { params: path })), onSuccess: again, onError: complain });
  const remove = useMutation({
    mutationFn: () => take(api.DELETE("/api/v1/levels/{id}", { params: path })),
    onSuccess: () => {
      notice(`Deleted ${level.name}. It can be had back for 30 days.`, { word: "Undo", run: () => recover.mutate() });
      return again();
    },
    onError: complain,
  });
  const download = (format: "glb" | "json") => location.assign(`/api/v1/levels/${level.id}/export?format=${format}`);
  const item = "flex h-7 cursor-pointer items-center px-3 outline-none data-[disabled]:text-[#7a7a7a] data-[focused]:bg-[#3a3a3a]";
  return (
    <MenuTrigger>
      <Button aria-label={`More of ${level.name}`} className="btn btn-ghost btn-xs absolute bottom-[43px] right-1.5 !px-1.5 opacity-70 group-hover:opacity-100">
        <Ellipsis size={15} />
      </Button>
      <Popover placement="bottom end" className="min-w-44 border border-[#3a3a3a] bg-base-300 py-1 shadow-xl">
        <Menu className="outline-none" aria-label={level.name}>
          <MenuItem className={item} isDisabled={level.role !== "owner" && level.role !== "editor"} onAction={() => onDoing("rename")}>
            Rename
          </MenuItem>
          <MenuItem className={item} onAction={() => copy.mutate()}>
            Copy
          </MenuItem>
          <MenuItem className={item} isDisabled={!mine} onAction={() => onDoing("share")}>
            Share with people…
          </MenuItem>
          <MenuItem className={item} onAction={() => download("glb")}>
            Download as glTF
          </MenuItem>
          <MenuItem className={item} onAction={() => download("json")}>
            Download the document
          </MenuItem>
          <Separator className="my-1 h-px bg-[#3a3a3a]" />
          <MenuItem className={item} isDisabled={!mine} onAction={() => remove.mutate()}>
            Delete
          </MenuItem>
        </Menu>
      </Popover>
    </MenuTrigger>
  );
}
