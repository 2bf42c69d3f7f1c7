import type { ReactNode } from "react";

/** A part of the account page. */
export function Part({ title, note, wide = false, children }: { title: string; note: string; wide?: boolean; children: ReactNode }) {
  return (
    <section className={`border border-[#101010] bg-base-100 px-4 py-3 ${wide ? "lg:col-span-2" : ""}`} aria-label={title}>
      <h2 className="font-semibold">{title}</h2>
      <p className="dim mb-3">{note}</p>
      {children}
    </section>
  );
}
