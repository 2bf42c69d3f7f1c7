import { createContext, useContext } from "react";

/** Ends what a hand holds, such as a slider or a number that is dragged, or takes it back. */
export type Hand = { letGo: () => void; takeBack: () => void };

export const HandContext = createContext<Hand>({ letGo: () => undefined, takeBack: () => undefined });

export const useHand = () => useContext(HandContext);
