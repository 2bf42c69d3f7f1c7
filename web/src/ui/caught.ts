import type { Schemas } from "../api/client";

/** What a rule for what comes in caught, in a line. */
export const caughtWords = (c: Schemas["RuleCatch"]): string => `rule ${c.rule}, ${c.does}: ${c.names.length === 0 ? "caught nothing" : `${c.names.length} caught`}`;
