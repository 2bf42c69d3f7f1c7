import { memo } from "react";
import { AlertTriangle, Camera, CircleAlert, Redo2, Search, Undo2 } from "lucide-react";
import { useMutation } from "@tanstack/react-query";
import { Link } from "wouter";
import { takeShot, type LightmapState, type Report } from "../../api/client";
import { commandByID, keyLabel, type Context } from "../../commands";
import { bench, camera } from "../../model/bench";
import { complain, notice } from "../../ui/messages";
import { usePlatforms } from "../data";
import { Bell } from "../notices/Bell";
import { People } from "../presence/People";
import { BakeButton } from "./BakeButton";
import { Meters } from "./Meters";

type Props = { state: LightmapState | undefined; report: Report | undefined; platform: string; user: string; context: Context; saved: boolean; waiting: number };

export const TopBar = memo(function TopBar({ state, report, platform, user, context, saved, waiting }: Props) {
  const { doc } = context;
  const id = doc.level.id;
  const platforms = usePlatforms();
  const profile = platforms.data?.items.find((p) => p.ref === platform)?.profile;
  const counts = report?.counts ?? {};
  return (
    <header className="bar flex shrink-0 items-center gap-2 px-3 max-[1150px]:gap-1 max-[1150px]:px-2">
      <Link href="/" aria-label="All levels" className="shrink-0">
        <img src="/mark.svg" alt="" width={18} height={18} />
      </Link>
      <div className="min-w-16 max-w-56 leading-[14px]">
        <h1 className="truncate font-semibold" title={doc.level.name}>
          {doc.level.name}
        </h1>
        <p className="dim truncate text-[10px]" title={saved ? "All is saved" : "Changes are on their way"}>
          revision {doc.level.revision}
          {waiting > 0 && " · saving"}
          {doc.level.role !== "owner" && ` · ${doc.level.owner}'s, you are ${doc.level.role}`}
        </p>
      </div>
      <CommandButton id="undo" context={context} icon={<Undo2 size={15} />} label="Undo" />
      <CommandButton id="redo" context={context} icon={<Redo2 size={15} />} label="Redo" />
      <CommandButton id="palette" context={context} icon={<Search size={14} />} label="Find a command or a thing" />
      <span className="ml-auto" />
      <Meters level={doc.document} report={report} limits={profile?.limits} />
      <Count n={counts.error ?? 0} what="refused" color="text-error" icon={<CircleAlert size={13} />} />
      <Count n={counts.warning ?? 0} what="warnings" color="text-warning" icon={<AlertTriangle size={13} />} />
      <select
        className="field !w-28 shrink-0 !bg-[#2b2b2b]"
        aria-label="Platform"
        disabled={!context.canEdit}
        value={platform}
        onChange={(e) => context.edit({ op: "set", fields: { platform: e.target.value } })}
      >
        {(platforms.data?.items ?? []).map((p) => (
          <option key={p.ref}>{p.ref}</option>
        ))}
      </select>
      <BakeButton id={id} state={state} canEdit={context.canEdit} />
      <ShotButton id={id} name={doc.level.name} />
      <People />
      <Bell />
      <span className="grid h-6 w-6 shrink-0 place-items-center rounded-full bg-[#4a4a4a] text-[10px]" title={user}>
        {user.slice(0, 2).toUpperCase()}
      </span>
    </header>
  );
});

/** A button of a command: it says its key, and why it cannot be pressed. */
export function CommandButton({ id, context, icon, label }: { id: string; context: Context; icon: React.ReactNode; label: string }) {
  const command = commandByID.get(id);
  if (!command) return null;
  const why = command.whyNot?.(context) ?? "";
  const key = command.keys?.[0];
  return (
    <button className="btn btn-ghost btn-xs" disabled={why !== ""} aria-label={label} title={why || `${label}${key ? ` (${keyLabel(key)})` : ""}`} onClick={() => command.run(context)}>
      {icon}
    </button>
  );
}

function Count({ n, what, color, icon }: { n: number; what: string; color: string; icon: React.ReactNode }) {
  return (
    <button title={`${n} ${what}`} className={`flex items-center gap-1 px-1 ${n > 0 ? color : "dim"}`} onClick={() => bench.set({ panel: "findings", rule: "", folded: { ...bench.get().folded, drawer: false } })}>
      {icon} {n} <span className="sr-only">{what}</span>
    </button>
  );
}

/** A finished picture from where the view's camera stands. */
function ShotButton({ id, name }: { id: string; name: string }) {
  const shoot = useMutation({
    mutationFn: async () => {
      const from = camera.now?.();
      const a = document.createElement("a");
      a.href = await takeShot(id, from ? { camera: from } : {});
      a.download = `${name}.png`;
      a.click();
      URL.revokeObjectURL(a.href);
    },
    onSuccess: () => notice("Shot saved."),
    onError: complain,
  });
  return (
    <button className="btn btn-ghost btn-xs" disabled={shoot.isPending} aria-label="Take a shot" title="Take a shot from here" onClick={() => shoot.mutate()}>
      {shoot.isPending ? <span className="loading loading-spinner loading-xs" /> : <Camera size={14} />}
    </button>
  );
}
