// Rows of an inspector: a label, and a value to switch or to choose.

export function Toggle({ label, value, mixed = false, disabled, onChange }: { label: string; value: boolean; mixed?: boolean; disabled: boolean; onChange: (v: boolean) => void }) {
  return (
    <label className="row grid grid-cols-[92px_1fr] items-center gap-2">
      <span className="dim">{label}</span>
      <input type="checkbox" className="checkbox checkbox-xs" ref={(box) => void (box && (box.indeterminate = mixed))} checked={value && !mixed} disabled={disabled} onChange={(e) => onChange(e.target.checked)} />
    </label>
  );
}

export function Choice({ label, value, of, disabled, onChange }: { label: string; value: string; of: readonly string[]; disabled: boolean; onChange: (v: string) => void }) {
  return (
    <div className="row grid grid-cols-[92px_1fr] items-center gap-2">
      <span className="dim">{label}</span>
      <select className="field" aria-label={label} disabled={disabled} value={value} onChange={(e) => onChange(e.target.value)}>
        {!of.includes(value) && <option value={value}>several</option>}
        {of.map((o) => (
          <option key={o} value={o}>
            {o.replaceAll("_", " ")}
          </option>
        ))}
      </select>
    </div>
  );
}
