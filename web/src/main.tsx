import { StrictMode } from "react";
import { createRoot } from "react-dom/client";
import { QueryCache, QueryClient, QueryClientProvider, useQuery } from "@tanstack/react-query";
import { Route, Switch, useRoute } from "wouter";
import "./index.css";
import { api, ProblemError, setCSRF, take } from "./api/client";
import { SignIn } from "./pages/SignIn";
import { Account } from "./pages/account/Account";
import { Bakes } from "./pages/Bakes";
import { Levels } from "./pages/levels/Levels";
import { Platforms } from "./pages/Platforms";
import { Join } from "./pages/links/Join";
import { OpenLink } from "./pages/links/OpenLink";
import { Presets } from "./pages/presets/Presets";
import { Bench } from "./features/bench/Bench";
import { signedOut } from "./model/signedOut";
import { Messages } from "./ui/messages";

const queries = new QueryClient({
  queryCache: new QueryCache({
    onError: (error, query) => {
      if (query.queryKey[0] !== "session" && error instanceof ProblemError && error.problem.status === 401) signedOut(true);
    },
  }),
  defaultOptions: { queries: { retry: false, staleTime: 30_000, refetchOnWindowFocus: false } },
});

// Pictures that are kept no longer give their memory back.
queries.getQueryCache().subscribe((event) => {
  if (event.type !== "removed" || event.query.queryKey[0] !== "small-shot") return;
  const url = event.query.state.data;
  if (typeof url === "string") URL.revokeObjectURL(url);
});

function Console() {
  const session = useQuery({
    queryKey: ["session"],
    queryFn: async () => {
      const s = await take(api.GET("/api/v1/session"));
      setCSRF(s.csrf);
      return s;
    },
  });
  const [joining, invitation] = useRoute("/join/:secret");
  if (joining) return <Join secret={invitation.secret} />;
  if (session.isPending) return null;
  if (session.isError) return <SignIn onDone={() => session.refetch()} />;
  return (
    <Switch>
      <Route path="/levels/:id">{(p) => <Bench key={p.id} id={p.id} user={session.data.user} />}</Route>
      <Route path="/presets">
        <Presets user={session.data.user} />
      </Route>
      <Route path="/platforms">
        <Platforms user={session.data.user} />
      </Route>
      <Route path="/bakes">
        <Bakes user={session.data.user} admin={session.data.scopes.includes("admin")} />
      </Route>
      <Route path="/open/:secret">{(p) => <OpenLink secret={p.secret} />}</Route>
      <Route path="/account">
        <Account user={session.data.user} admin={session.data.scopes.includes("admin")} />
      </Route>
      <Route>
        <Levels user={session.data.user} />
      </Route>
    </Switch>
  );
}

createRoot(document.getElementById("root")!).render(
  <StrictMode>
    <QueryClientProvider client={queries}>
      <Console />
      <Messages />
    </QueryClientProvider>
  </StrictMode>,
);
