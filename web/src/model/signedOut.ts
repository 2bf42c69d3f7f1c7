import { create } from "zustand";

/** Whether an answer of the service has told that the session is over. The bench asks for the
 *  password in place. */
export const useSignedOut = create<{ is: boolean }>(() => ({ is: false }));
export const signedOut = (is: boolean) => useSignedOut.setState({ is });
