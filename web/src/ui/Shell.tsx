import type { ReactNode } from "react";
import { Link, useRoute } from "wouter";
import { useQueryClient } from "@tanstack/react-query";
import { LogOut } from "lucide-react";
import { api } from "../api/client";
import { Bell } from "../features/notices/Bell";

/** The frame of every page that is not the bench. */
export function Shell({ user, children }: { user: string; children: ReactNode }) {
  const queries = useQueryClient();
  async function signOut() {
    await api.DELETE("/api/v1/session");
    queries.clear();
    location.assign("/");
  }
  return (
    <div className="flex h-full flex-col">
      <header className="bar flex items-center gap-5 px-4">
        <Link href="/" className="flex items-center gap-2 font-semibold">
          <img src="/mark.svg" alt="" width={18} height={18} /> Grotta
        </Link>
        <nav className="flex gap-4">
          <Place href="/" label="Levels" />
          <Place href="/presets" label="Presets" />
          <Place href="/platforms" label="Platforms" />
          <Place href="/bakes" label="Bakes" />
        </nav>
        <span className="ml-auto" />
        <Bell />
        <Place href="/account" label={user} />
        <button className="btn btn-ghost btn-xs" onClick={signOut}>
          <LogOut size={13} /> Sign out
        </button>
      </header>
      <main className="min-h-0 flex-1 overflow-auto px-6 py-5" tabIndex={0}>{children}</main>
    </div>
  );
}

function Place({ href, label }: { href: string; label: string }) {
  const [here] = useRoute(href);
  return (
    <Link href={href} aria-current={here ? "page" : undefined} className={here ? "border-b border-accent pb-0.5" : "dim hover:text-base-content"}>
      {label}
    </Link>
  );
}
