import { useQueryClient } from "@tanstack/react-query";
import { Dialog, Modal, ModalOverlay } from "react-aria-components";
import { CloudOff, KeyRound } from "lucide-react";
import { signedOut, useSignedOut } from "../../model/signedOut";
import { SignInForm } from "../../pages/SignIn";
import { counted } from "../../ui/counted";
import type { Session } from "../session";

/** Says when edits cannot be saved, and what to do. The bench stays as it is. */
export function Connection({ session, user }: { session: Session; user: string }) {
  const ended = useSignedOut((s) => s.is);
  if (ended || session.state === "signed-out") return <SignInAgain session={session} user={user} />;
  if (session.state === "offline") return <Away session={session} />;
  if (session.state === "gone") return <Gone session={session} />;
  return null;
}

function Away({ session }: { session: Session }) {
  const changes = counted(session.waiting, "change");
  return (
    <p role="status" className="striped flex items-center gap-2 border-b border-[#101010] px-3 py-1.5">
      <CloudOff size={14} />
      <span>{session.why ? `Nothing is saved now: ${session.why} Go on working: ${changes} will be saved when that is mended.` : `The service does not answer. Go on working: ${changes} will be saved when it does.`}</span>
      <button className="btn btn-xs" onClick={session.retry}>
        Try now
      </button>
    </p>
  );
}

function Gone({ session }: { session: Session }) {
  return (
    <p role="alert" className="striped flex items-center gap-2 border-b border-[#101010] px-3 py-1.5">
      <span>
        This level was deleted, or is not shared with you any more. {session.waiting > 0 && `${counted(session.waiting, "change")} could not be saved.`}
      </span>
      <a className="underline" href="/">
        Back to the levels
      </a>
    </p>
  );
}

function SignInAgain({ session, user }: { session: Session; user: string }) {
  const queries = useQueryClient();
  const done = () => {
    signedOut(false);
    void queries.invalidateQueries();
    session.retry();
  };
  return (
    <ModalOverlay isOpen isKeyboardDismissDisabled className="fixed inset-0 z-40 grid place-items-center bg-black/60">
      <Modal>
        <Dialog aria-label="Sign in again" className="w-80 border border-[#3a3a3a] bg-base-100 p-5 shadow-xl outline-none">
          <h2 className="mb-1 flex items-center gap-2 font-semibold">
            <KeyRound size={15} /> Your session has ended
          </h2>
          <p className="dim mb-4">Sign in again and go on where you are. {session.waiting > 0 && `${counted(session.waiting, "change")} will be saved.`}</p>
          <SignInForm name={user} onDone={done} />
        </Dialog>
      </Modal>
    </ModalOverlay>
  );
}
