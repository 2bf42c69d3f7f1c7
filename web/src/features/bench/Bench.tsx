import { memo, useCallback, useEffect, useMemo, type ReactNode } from "react";
import { useQueryClient } from "@tanstack/react-query";
import { Group, Panel, Separator } from "react-resizable-panels";
import { Link } from "wouter";
import type { Document, LightmapState, Report } from "../../api/client";
import { runKey, type Context } from "../../commands";
import { bench, useBench } from "../../model/bench";
import { thingAt } from "../../model/things";
import { CommandDialogs } from "../commands/Dialogs";
import { useAutoBake, useEvents, useLightmap, usePlatforms, useReports, useStartBake } from "../data";
import { Inspector } from "../inspector/Inspector";
import { useSayPresence } from "../presence/usePresence";
import { Tour } from "../tour/Tour";
import { Outliner } from "../outliner/Outliner";
import { useSession, type Session } from "../session";
import { Comparison } from "../shots/Shots";
import { Rail } from "../stages/Rail";
import { StagePanel } from "../stages/StagePanel";
import { stages } from "../stages/stages";
import { ToolStrip } from "../view/ToolStrip";
import { View } from "../view/View";
import { Connection } from "./Connection";
import { useNowAndThen } from "./useNowAndThen";
import { platformOf, platformsOf } from "../../model/platforms";
import { HandContext } from "../../ui/hand";
import { FitDialog } from "../checks/Fit";
import { Drawer } from "./Drawer";
import { TopBar } from "./TopBar";

/** One level on the bench. */
export function Bench({ id, user }: { id: string; user: string }) {
  const session = useSession(id, user);
  useEvents(id);
  useEffect(() => bench.reset, []);
  if (session.error && !session.doc) return <Gone why={session.error.message} />;
  if (!session.doc) return <Skeleton />;
  return <Open doc={session.doc} user={user} session={session} />;
}

function Gone({ why }: { why: string }) {
  return (
    <main className="grid h-full place-items-center">
      <p className="whitespace-pre-line">
        {why}{" "}
        <Link href="/" className="underline">
          Back to the levels
        </Link>
      </p>
    </main>
  );
}

/** The bench before its level is read: the same places, empty. */
function Skeleton() {
  return (
    <div className="flex h-full flex-col" aria-busy="true" aria-label="Opening the level">
      <div className="bar" />
      <div className="flex min-h-0 flex-1 gap-px">
        <div className="w-60 bg-base-100" />
        <div className="dim grid flex-1 place-items-center bg-black">Opening the level…</div>
        <div className="w-72 bg-base-100" />
      </div>
    </div>
  );
}

/** How often panels follow a drag in the view: each time takes from what the view has. */
const panelsMs = 300;

function Open({ doc, user, session }: { doc: Document; user: string; session: Session }) {
  const id = doc.level.id;
  const canEdit = (doc.level.role === "editor" || doc.level.role === "owner") && session.state !== "gone";
  const queries = useQueryClient();
  const state = useLightmap(id, doc.level.revision).data;
  const platform = platformOf(doc.document);
  const platforms = platformsOf(doc);
  const reports = useReports(id, doc.level.revision, platforms).data?.items;
  const report = reports?.[0];
  const { mutate: bake } = useStartBake(id);
  const selection = useBench((s) => s.selection);
  const folded = useBench((s) => s.folded);
  const { edit, undo, redo, endGesture, dropGesture } = session;
  const hand = useMemo(() => ({ letGo: endGesture, takeBack: dropGesture }), [endGesture, dropGesture]);
  const reread = useCallback(() => queries.invalidateQueries({ queryKey: ["level", id] }), [queries, id]);
  useAutoBake(id, state, canEdit);
  useSayPresence(id);
  const unitM = usePlatforms().data?.items.find((p) => p.ref === platform)?.profile.space.unit_m ?? 1;
  useEffect(() => bench.set({ unitM }), [unitM]);
  useLiveUntilSaved(session, state?.revision);

  // What is gone is not selected.
  useEffect(() => {
    const left = selection.filter((s) => thingAt(doc.document, s));
    if (left.length < selection.length && session.state === "saved") bench.set({ selection: left });
  }, [selection, doc.document, session.state]);

  const context = useMemo<Context>(() => ({ doc, level: doc.document, canEdit, selection, edit, undo, redo, bake }), [doc, canEdit, selection, edit, undo, redo, bake]);
  useKeys(context);
  const panels = useNowAndThen(context, session.isHeld, panelsMs);

  return (
    <div className="flex h-full flex-col">
      <TopBar state={state} report={report} platform={platform} user={user} context={panels} saved={session.state === "saved"} waiting={session.waiting} />
      <Connection session={session} user={user} />
      <div className="flex min-h-0 flex-1">
        <Rail />
        <Group orientation="horizontal" className="min-w-0 flex-1">
        {!folded.left && (
          <>
            <Panel id="left-panel" defaultSize="240px" minSize="170px" maxSize="480px" groupResizeBehavior="preserve-pixel-size">
              <Left state={state} report={report} context={panels} onApplied={reread} />
            </Panel>
            <Divider label="Width of the outliner" />
          </>
        )}
        <Panel id="middle-panel" minSize="280px">
          <Middle folded={folded.drawer} drawer={<Drawer state={state} reports={reports} user={user} context={panels} onApplied={reread} />}>
            <View doc={doc} state={state} context={context} session={session} onApplied={reread} />
            <ToolStrip context={panels} />
            <Comparison doc={doc} />
          </Middle>
        </Panel>
        {!folded.right && (
          <>
            <Divider label="Width of the inspector" />
            <Panel id="right-panel" defaultSize="280px" minSize="220px" maxSize="520px" groupResizeBehavior="preserve-pixel-size">
              <HandContext value={hand}>
                <Inspector doc={panels.doc} state={state} canEdit={canEdit} edit={edit} undo={undo} onApplied={reread} />
              </HandContext>
            </Panel>
          </>
        )}
        </Group>
      </div>
      <CommandDialogs context={context} />
      <FitDialog doc={doc} context={context} />
      <Tour />
    </div>
  );
}

type LeftProps = { state: LightmapState | undefined; report: Report | undefined; context: Context; onApplied: () => void };

/** The tools of the stage, and its part of the outliner. */
const Left = memo(function Left({ state, report, context, onApplied }: LeftProps) {
  const { doc } = context;
  const stage = useBench((s) => s.stage);
  const { filters } = stages.find((s) => s.id === stage)!;
  return (
    <Group orientation="vertical" className="h-full">
      <Panel id="stage-panel" defaultSize="46%" minSize="60px">
        <StagePanel doc={doc} context={context} report={report} onApplied={onApplied} />
      </Panel>
      <Divider label="Height of the stage's tools" across />
      <Panel id="outliner-panel" minSize="90px">
        <Outliner key={stage} doc={doc} state={state} report={report} canEdit={context.canEdit} edit={context.edit} filters={filters} />
      </Panel>
    </Group>
  );
});

function Middle({ folded, drawer, children }: { folded: boolean; drawer: ReactNode; children: ReactNode }) {
  return (
    <Group orientation="vertical" className="h-full">
      <Panel id="view-panel" minSize="160px">
        <div className="relative flex h-full min-h-0">{children}</div>
      </Panel>
      {!folded && (
        <>
          <Divider label="Height of the drawer" across />
          <Panel id="drawer-panel" defaultSize="210px" minSize="90px" maxSize="60%" groupResizeBehavior="preserve-pixel-size">
            {drawer}
          </Panel>
        </>
      )}
    </Group>
  );
}

function Divider({ label, across = false }: { label: string; across?: boolean }) {
  return <Separator aria-label={label} className={`splitter bg-[#101010] outline-none ${across ? "h-1" : "w-1"}`} />;
}

/** Keys run commands, unless somebody types. */
function useKeys(context: Context) {
  useEffect(() => {
    function down(e: KeyboardEvent) {
      const at = e.target instanceof HTMLElement ? e.target : null;
      const typing = at?.matches("input:not([type=range]):not([type=checkbox]):not([type=color]), select, textarea, [contenteditable]") ?? false;
      const within = at?.closest("[role=dialog]") ?? null;
      const ownArrows = e.key.startsWith("Arrow") && (at?.matches("input[type=range], [role=tab], [role=radio], [role=separator], [role=option], [role=row]") ?? false);
      if (typing || ownArrows || (within && e.key !== "Escape")) return;
      if (runKey(e, context)) e.preventDefault();
    }
    window.addEventListener("keydown", down);
    return () => window.removeEventListener("keydown", down);
  }, [context]);
}

/** What was dragged shows as it was left until the service's light has it. */
function useLiveUntilSaved(session: Session, revision: number | undefined) {
  const newest = session.doc?.level.revision;
  const saved = session.state === "saved";
  useEffect(() => {
    if (saved && revision !== undefined && revision === newest) bench.dropSettled();
  }, [saved, revision, newest]);
}
