import { CloudOff, KeyRound } from "lucide-react";
import { counted } from "../../ui/counted";
import { SignInForm } from "../../pages/SignIn";
import type { Session } from "../session";

/** Says when edits cannot be saved, and what to do. The bench stays as it is. */
export function Connection({ session, user }: { session: Session; user: string }) {
  switch (session.state) {
    case "offline":
      return (
        <p role="status" className="striped flex items-center gap-2 border-b border-[#101010] px-3 py-1.5">
          <CloudOff size={14} /> The service does not answer. Go on working: {counted(session.waiting, "change")} will be saved when it does.
          <button className="btn btn-xs" onClick={session.retry}>
            Try now
          </button>
        </p>
      );
    case "gone":
      return (
        <p role="alert" className="striped flex items-center gap-2 border-b border-[#101010] px-3 py-1.5">
          This level was deleted, or is not shared with you any more. {session.waiting > 0 && `${counted(session.waiting, "change")} could not be saved.`}
          <a className="underline" href="/">
            Back to the levels
          </a>
        </p>
      );
    case "signed-out":
      return (
        <div role="dialog" aria-modal="true" aria-label="Sign in again" className="fixed inset-0 z-40 grid place-items-center bg-black/60">
          <div className="w-80 border border-[#3a3a3a] bg-base-100 p-5 shadow-xl">
            <h2 className="mb-1 flex items-center gap-2 font-semibold">
              <KeyRound size={15} /> Your session has ended
            </h2>
            <p className="dim mb-4">Sign in again and go on where you are. {counted(session.waiting, "change")} will be saved.</p>
            <SignInForm name={user} onDone={session.retry} />
          </div>
        </div>
      );
  }
  return null;
}
