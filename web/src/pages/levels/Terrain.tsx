import { useState } from "react";
import { Dialog, Modal, ModalOverlay } from "react-aria-components";
import type { HowToRead } from "../../api/bringIn";

type Props = { file: string; onRead: (how: HowToRead) => void; onClose: () => void };

/** Asks how large a picture is that comes in as terrain: its brightness is the height. */
export function TerrainDialog({ file, onRead, onClose }: Props) {
  const [width, setWidth] = useState(200);
  const [height, setHeight] = useState(20);
  const [cells, setCells] = useState(128);
  return (
    <ModalOverlay isOpen isDismissable onOpenChange={(open) => !open && onClose()} className="fixed inset-0 z-40 grid place-items-center bg-black/50">
      <Modal>
        <Dialog aria-label="Terrain" className="w-80 border border-[#3a3a3a] bg-base-100 p-4 shadow-2xl outline-none">
          <h2 className="mb-1 truncate font-semibold">{file} as terrain</h2>
          <p className="dim mb-3">Its brightness is the height; its upper edge is north.</p>
          <form
            className="flex flex-col gap-2"
            onSubmit={(e) => {
              e.preventDefault();
              onRead({ terrain_m: width, height_m: height, cells });
            }}
          >
            <Size label="Width" unit="m" value={width} min={1} max={100000} step="any" onChange={setWidth} />
            <Size label="Height, black to white" unit="m" value={height} min={0.01} max={10000} step="any" onChange={setHeight} />
            <Size label="Cells along its longer side" unit="" value={cells} min={1} max={1000} step={1} onChange={setCells} />
            <div className="mt-2 flex gap-2">
              <button className="btn btn-primary btn-sm flex-1">Bring it in</button>
              <button type="button" className="btn btn-sm" onClick={onClose}>
                Leave it
              </button>
            </div>
          </form>
        </Dialog>
      </Modal>
    </ModalOverlay>
  );
}

type SizeProps = { label: string; unit: string; value: number; min: number; max: number; step: number | "any"; onChange: (v: number) => void };

function Size({ label, unit, value, min, max, step, onChange }: SizeProps) {
  return (
    <label className="flex items-center gap-2">
      <span className="flex-1">{label}</span>
      <input className="field !w-24 text-right" type="number" required min={min} max={max} step={step} value={value} onChange={(e) => onChange(e.target.valueAsNumber)} />
      <span className="dim w-4">{unit}</span>
    </label>
  );
}
