import { useQuery } from "@tanstack/react-query";
import { Route, Routes } from "react-router";

import { answer, api, ApiProblem } from "./api/client";
import { useEvents } from "./api/useEvents";
import { AccountPage } from "./features/account/AccountPage";
import { ChangePage } from "./features/changes/ChangePage";
import { FilePage } from "./features/files/FilePage";
import { AllServersPage } from "./features/servers/AllServersPage";
import { OverviewPage } from "./features/servers/OverviewPage";
import { ServerPage } from "./features/servers/ServerPage";
import { SignInPage } from "./features/signin/SignInPage";
import { NoSuchPage } from "./shared/NoSuchPage";
import { ProblemNote } from "./shared/ProblemNote";
import { Shell } from "./shared/Shell";

/** Signed in: the pages. Not signed in: the one page that is for everybody. */
export function App() {
  const me = useQuery({ queryKey: ["me"], queryFn: () => answer(api.GET("/api/v1/me")) });
  if (me.error instanceof ApiProblem && me.error.status === 401) return <SignInPage />;
  if (me.error) return <ProblemNote error={me.error} />;
  if (!me.data) return null;
  return <Pages name={me.data.name} />;
}

function Pages({ name }: { name: string }) {
  useEvents();
  return (
    <Shell name={name}>
      <Routes>
        <Route path="/" element={<OverviewPage />} />
        <Route path="/servers/:serverId/file/*" element={<FilePage />} />
        <Route path="/servers/:serverId/:tab?" element={<ServerPage />} />
        <Route path="/servers" element={<AllServersPage />} />
        <Route path="/account" element={<AccountPage name={name} />} />
        <Route path="/changes/:changeId" element={<ChangePage />} />
        <Route path="*" element={<NoSuchPage />} />
      </Routes>
    </Shell>
  );
}
