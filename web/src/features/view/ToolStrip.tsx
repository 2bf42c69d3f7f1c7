import { memo } from "react";
import { AppWindow, CircleHelp, Crosshair, Magnet, MousePointer2, Plus } from "lucide-react";
import { Button, Header, Menu, MenuItem, MenuSection, MenuTrigger, Popover } from "react-aria-components";
import { commandByID, commands, keyLabel, type Context } from "../../commands";
import { useBench } from "../../model/bench";

const tools = [
  ["select-tool", MousePointer2],
  ["aim", Crosshair],
  ["ask", CircleHelp],
  ["opening", AppWindow],
  ["snap", Magnet],
] as const;

/** What a click in the view does, at its left edge. */
export const ToolStrip = memo(function ToolStrip({ context }: { context: Context }) {
  useBench((s) => s.tool); // what is on depends on it
  useBench((s) => s.snapM);
  return (
    <div role="toolbar" aria-label="Tools" aria-orientation="vertical" className="absolute left-2 top-10 flex flex-col bg-base-100 p-0.5">
      <PlaceMenu context={context} />
      {tools.map(([id, Icon]) => {
        const command = commandByID.get(id)!;
        const why = command.whyNot?.(context) ?? "";
        const on = command.isOn?.() ?? false;
        return (
          <button
            key={id}
            aria-label={command.title}
            aria-pressed={on}
            disabled={why !== ""}
            title={why ? `${command.title}: ${why}` : `${command.title} (${keyLabel(command.keys![0]!)})`}
            className={`grid h-7 w-7 place-items-center disabled:opacity-40 ${on ? "bg-[#4a4a4a]" : "hover:bg-base-300"}`}
            onClick={() => command.run(context)}
          >
            <Icon size={14} />
          </button>
        );
      })}
    </div>
  );
});

function PlaceMenu({ context }: { context: Context }) {
  const placing = useBench((s) => s.tool.is === "place");
  const all = commands.filter((c) => c.group === "Place" && c.id.startsWith("place-"));
  const lights = all.filter((c) => c.title.endsWith("light"));
  const blocks = all.filter((c) => c.id.endsWith("-block"));
  const air = all.filter((c) => !lights.includes(c) && !blocks.includes(c));
  const sections = [
    ["Lights", lights],
    ["In the air", air],
    ["Blocks", blocks],
    ["Regions", commands.filter((c) => c.id === "add-zone")],
  ] as const;
  return (
    <MenuTrigger>
      <Button aria-label="Place" isDisabled={!context.canEdit} className={`grid h-7 w-7 place-items-center outline-none data-[focus-visible]:outline-1 data-[focus-visible]:outline-accent disabled:opacity-40 ${placing ? "bg-[#4a4a4a]" : "hover:bg-base-300"}`}>
        <Plus size={15} />
      </Button>
      <Popover placement="right top" className="border border-[#3a3a3a] bg-base-100 shadow-xl">
        <Menu className="max-h-[70vh] overflow-auto py-1 outline-none" onAction={(id) => commandByID.get(String(id))?.run(context)}>
          {sections.map(([name, list]) => (
            <MenuSection key={name}>
              <Header className="dim px-3 pb-0.5 pt-1.5 text-[11px]">{name}</Header>
              {list.map((c) => (
                <MenuItem key={c.id} id={c.id} textValue={c.title} className="flex h-7 cursor-pointer items-center gap-6 px-3 outline-none data-[focused]:bg-[#3a3a3a]">
                  <span className="flex-1">{c.title.replace(/^(Place|Add) an? /, "").replace(/^./, (x) => x.toUpperCase())}</span>
                  {c.keys?.[0] && <kbd className="key">{keyLabel(c.keys[0])}</kbd>}
                </MenuItem>
              ))}
            </MenuSection>
          ))}
        </Menu>
      </Popover>
    </MenuTrigger>
  );
}
