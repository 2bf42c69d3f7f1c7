import type { Finding, Level, Report, Schemas } from "../api/client";

// What is shown of the checks' findings, and the operations that settle or waive them.

export type Shown = { severity: "" | Finding["severity"]; family: "" | Finding["family"]; rule: string; waived: boolean };

/** The findings that a filter leaves. */
export function filtered(findings: readonly Finding[], shown: Shown): Finding[] {
  const fits = (wanted: string, own: string) => !wanted || wanted === own;
  return findings.filter((f) => fits(shown.severity, f.severity) && fits(shown.family, f.family) && fits(shown.rule, f.rule) && (shown.waived || !f.waived));
}

/** Findings of one rule stand together; the order of rules is that of their first findings. */
export function byRule(findings: readonly Finding[]): { rule: string; findings: Finding[] }[] {
  const groups = new Map<string, Finding[]>();
  for (const f of findings) groups.set(f.rule, [...(groups.get(f.rule) ?? []), f]);
  return [...groups].map(([rule, list]) => ({ rule, findings: list }));
}

/** One change that settles all that can be; undefined where nothing can. */
export function fixAll(findings: readonly Finding[]) {
  const seen = new Set<string>();
  const steps = findings.flatMap((f) => {
    const key = JSON.stringify(f.fix);
    if (!f.fix || f.waived || seen.has(key)) return [];
    seen.add(key);
    return [f.fix];
  });
  return steps.length > 0 ? { op: "batch" as const, label: `Fix ${steps.length} findings`, steps } : undefined;
}

/** Keeps a finding in the level as one that is meant. */
export function waive(level: Level, f: Finding, reason: string, by: string) {
  const taken = new Set(level.waivers.map((w) => w.id));
  const base = `waived-${f.rule.replace(".", "-")}`;
  let id = base;
  for (let n = 2; taken.has(id); n++) id = `${base}-${n}`;
  const entity = { id, rule: f.rule, about: f.entities, reason, by, ...(f.zone ? { zone: f.zone } : {}) };
  return { op: "add" as const, part: "waivers" as const, entity, label: `Waive ${f.rule}` };
}

/** Takes back what waives a finding. */
export function unwaive(level: Level, f: Finding) {
  const ids = level.waivers.filter((w) => w.rule === f.rule && (!w.zone || w.zone === f.zone) && f.entities.every((id) => (w.about ?? []).includes(id))).map((w) => w.id);
  return { op: "batch" as const, label: `Take back the waiver of ${f.rule}`, steps: ids.map((id) => ({ op: "remove" as const, id })) };
}

/** How many findings, of those that are not waived, of a severity. */
export const counts = (report: Report, severity: Finding["severity"]) => report.counts[severity] ?? 0;

/** How much of a limit is taken, in few letters. */
export function spentText(b: Schemas["Spent"]): string {
  const short = (n: number) => (n >= 1e6 ? `${(n / 1e6).toFixed(1)} M` : n >= 1e4 ? `${Math.round(n / 1e3)} k` : n >= 10 ? String(Math.round(n)) : String(Number(n.toPrecision(2))));
  return `${b.at_most ? "at most " : ""}${short(b.now)} of ${short(b.most)}`;
}
