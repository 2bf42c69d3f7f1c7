import { useMutation, useQueryClient } from "@tanstack/react-query";
import { Pin, PinOff } from "lucide-react";
import { useEffect, useState } from "react";
import { Dialog, Modal, ModalOverlay } from "react-aria-components";
import { api, take, type Document, type Operation, type Schemas } from "../../api/client";
import type { Context } from "../../commands";
import { platformOf, platformsOf } from "../../model/platforms";
import { bench, useBench } from "../../model/bench";
import { counted } from "../../ui/counted";
import { complain, notice } from "../../ui/messages";
import { SmallShot } from "../presets/SmallShot";

type Plan = Schemas["FitPlan"];
type Props = { doc: Document; platforms: string[]; context: Context; onClose: () => void };

/** The dialog, while a command or a button has it open. */
export function FitDialog({ doc, context }: { doc: Document; context: Context }) {
  const open = useBench((s) => s.dialog === "fit");
  return open ? <Fit doc={doc} platforms={platformsOf(doc)} context={context} onClose={() => bench.set({ dialog: null })} /> : null;
}

/** The least visible change after which the platforms take the level: step by step, with pictures before
 *  and after; all, some or none of it is taken, and one undo takes it back. */
function Fit({ doc, platforms, context, onClose }: Props) {
  const [keep, setKeep] = useState<string[]>([]);
  const [left, setLeft] = useState<number[]>([]); // numbers of steps that are not taken
  const make = useMutation({
    mutationFn: (kept: string[]) => take(api.POST("/api/v1/levels/{id}/fit", { params: { path: { id: doc.level.id } }, body: { platforms, keep: kept } })),
    onSuccess: () => setLeft([]),
  });
  const { mutate } = make;
  useEffect(() => mutate([]), [mutate]);
  const plan = make.data;
  const queries = useQueryClient();
  const asVariant = useMutation({
    mutationFn: async (change: Operation) => {
      const platform = platforms.find((p) => p !== platformOf(doc.document)) ?? platforms[0]!;
      const made = await take(api.POST("/api/v1/levels/{id}/variants", { params: { path: { id: doc.level.id } }, body: { name: `for ${platform}`, platform, follows: true } }));
      await take(api.POST("/api/v1/levels/{id}/operations", { params: { path: { id: made.level.id } }, body: change }));
      return made;
    },
    onSuccess: async (made) => {
      notice(`Made ${made.level.name}, which follows this level.`, { word: "Open it", run: () => location.assign(`/levels/${made.level.id}`) });
      await queries.invalidateQueries({ queryKey: ["variants"] });
      onClose();
    },
    onError: complain,
  });
  const pin = (id: string) => {
    const next = keep.includes(id) ? keep.filter((k) => k !== id) : [...keep, id];
    setKeep(next);
    mutate(next);
  };
  const op = plan && operationOf(plan, left);
  return (
    <ModalOverlay isOpen isDismissable onOpenChange={(open) => !open && onClose()} className="fixed inset-0 z-40 grid place-items-center bg-black/50">
      <Modal>
        <Dialog aria-label="Fit" className="flex h-[86vh] w-[min(1080px,95vw)] flex-col border border-[#3a3a3a] bg-base-100 p-4 shadow-2xl outline-none">
          <h2 className="font-semibold">Fit to {platforms.join(" and ")}</h2>
          <p className="dim mb-2">What has to change so that every limit holds, the least visible first. Keep a light by its pin; the plan is then made again.</p>
          {make.isPending && !plan && <p className="p-4">Measuring what each light is worth…</p>}
          {make.isError && <p className="text-error" role="alert">{make.error.message}</p>}
          {plan && <Steps plan={plan} doc={doc} left={left} setLeft={setLeft} keep={keep} pin={pin} busy={make.isPending} />}
          <div className="mt-3 flex items-center gap-2">
            {plan && <Total plan={plan} />}
            <button className="btn btn-ghost btn-sm ml-auto" onClick={onClose}>
              Cancel
            </button>
            <button
              className="btn btn-sm"
              disabled={!op || make.isPending || doc.document.viewpoints.length === 0}
              onClick={() => {
                if (!op) return;
                bench.set({ comparing: { viewpoint: doc.document.viewpoints[0]!.id, before: { edit: op }, words: "with the plan" } });
                onClose();
              }}
            >
              Compare large
            </button>
            <button className="btn btn-sm" disabled={!context.canEdit || !op || make.isPending || asVariant.isPending || doc.level.parent !== undefined} title="A level of its own for the platform, which takes what is changed here by itself" onClick={() => op && asVariant.mutate(op)}>
              As a variant
            </button>
            <button
              className="btn btn-primary btn-sm"
              disabled={!context.canEdit || !op || make.isPending}
              onClick={() => {
                if (op) context.edit(op);
                onClose();
              }}
            >
              {op ? `Apply ${counted(op.steps?.length ?? 0, "change")}` : "Nothing to apply"}
            </button>
          </div>
        </Dialog>
      </Modal>
    </ModalOverlay>
  );
}

/** The steps that are taken, as one change. */
export function operationOf(plan: Plan, left: readonly number[]): Operation | undefined {
  const steps = plan.steps.filter((_, i) => !left.includes(i)).map((s) => s.operation);
  return steps.length > 0 ? { op: "batch", label: `Fit ${plan.platforms.join(", ")}`, steps } : undefined;
}

function Total({ plan }: { plan: Plan }) {
  if (plan.steps.length === 0) return null;
  const sure = plan.exact ? "no other choice of lights is seen less" : `at most ${(plan.sum - plan.bound).toFixed(2)} over the least that there can be`;
  return (
    <p className="dim" title="CIEDE2000 over what the viewpoints see and where a player walks; about 1 is just seen side by side">
      All together {plan.mean.toFixed(2)} on average over {plan.spots} spots, 95 % under {plan.p95.toFixed(1)}; {sure}.
    </p>
  );
}

type StepsProps = { plan: Plan; doc: Document; left: number[]; setLeft: (left: number[]) => void; keep: string[]; pin: (id: string) => void; busy: boolean };

function Steps({ plan, doc, left, setLeft, keep, pin, busy }: StepsProps) {
  const [shown, setShown] = useState<number | null>(null);
  const viewpoints = doc.document.viewpoints.slice(0, 3);
  const one = shown === null ? undefined : plan.steps[shown];
  const edit = one ? one.operation : operationOf(plan, left);
  return (
    <div className={`flex min-h-0 flex-1 gap-4 ${busy ? "opacity-50" : ""}`}>
      <div className="min-w-0 flex-1 overflow-auto">
        {plan.steps.length === 0 && plan.left.length === 0 && <p className="p-4">Nothing has to change: every limit holds.</p>}
        <ul>
          {plan.steps.map((s, i) => (
            <li key={s.what} className={`flex items-center gap-2 border-b border-[#101010] py-1.5 ${shown === i ? "bg-base-300" : ""}`}>
              <input type="checkbox" className="checkbox checkbox-xs" aria-label={s.what} checked={!left.includes(i)} onChange={(e) => setLeft(e.target.checked ? left.filter((n) => n !== i) : [...left, i])} />
              <button className="min-w-0 flex-1 text-left" onClick={() => setShown(shown === i ? null : i)} title="Show this step alone">
                {s.what} {plan.platforms.length > 1 && <span className="dim">for {s.platforms.join(", ")}</span>}
              </button>
              <span className="dim w-16 text-right" title={s.measured ? "Colour difference, mean over what is seen" : "Not measured"}>
                {s.measured ? s.mean.toFixed(2) : "–"}
              </span>
              {s.entity && doc.document.lights.some((l) => l.id === s.entity) ? (
                <button className="btn btn-ghost btn-xs" aria-label={`Keep ${s.entity}`} title="Keep this light as it is" onClick={() => pin(s.entity!)}>
                  <Pin size={12} />
                </button>
              ) : (
                <span className="w-8" />
              )}
            </li>
          ))}
          {keep.map((id) => (
            <li key={id} className="flex items-center gap-2 border-b border-[#101010] py-1.5">
              <span className="dim flex-1">{doc.document.lights.find((l) => l.id === id)?.name ?? id} stays as it is</span>
              <button className="btn btn-ghost btn-xs" aria-label={`Do not keep ${id}`} onClick={() => pin(id)}>
                <PinOff size={12} />
              </button>
            </li>
          ))}
        </ul>
        {plan.left.map((l) => (
          <p key={l} className="mt-2 text-warning">
            Still over: {l}
          </p>
        ))}
      </div>
      <div className="w-[460px] shrink-0 overflow-auto">
        <div className="dim mb-1 grid grid-cols-2">
          <span>before</span>
          <span>{one ? `${one.what}` : "after all steps"}</span>
          <span className="col-span-2 text-[11px]">Lights that change are shown at draft quality.</span>
        </div>
        {edit &&
          viewpoints.map((v) => (
            <figure key={v.id} className="mb-2">
              <div className="grid grid-cols-2 gap-1">
                <SmallShot id={doc.level.id} revision={doc.level.revision} variant={{}} from={{ viewpoint: v.id }} alt={`${v.name ?? v.id} before`} />
                <SmallShot id={doc.level.id} revision={doc.level.revision} variant={{ edit }} from={{ viewpoint: v.id }} alt={`${v.name ?? v.id} after`} />
              </div>
              <figcaption className="dim">{v.name ?? v.id}</figcaption>
            </figure>
          ))}
      </div>
    </div>
  );
}
