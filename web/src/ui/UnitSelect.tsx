/** The units that files are usually in, and their metres. */
const units: readonly (readonly [string, number])[] = [
  ["metres", 1],
  ["centimetres", 0.01],
  ["millimetres", 0.001],
  ["inches", 0.0254],
  ["feet", 0.3048],
];

type Props = {
  label: string;
  /** What is said for 0: no unit. */
  none: string;
  value: number;
  className?: string;
  disabled?: boolean;
  onChange: (metres: number) => void;
};

/** Chooses the unit of a file, as metres. */
export function UnitSelect({ label, none, value, className = "", disabled = false, onChange }: Props) {
  return (
    <select className={`field ${className}`} aria-label={label} value={value} disabled={disabled} onChange={(e) => onChange(Number(e.target.value))}>
      <option value={0}>{none}</option>
      {units.map(([name, m]) => (
        <option key={name} value={m}>
          {name}
        </option>
      ))}
    </select>
  );
}
