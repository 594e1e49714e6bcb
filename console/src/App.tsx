import { lazy, Suspense } from "react";
import { Navigate, Route, Routes } from "react-router";

import { ApiProblem } from "./api/client";
import { useEvents } from "./api/useEvents";
import { OverviewPage } from "./features/servers/OverviewPage";
import { SignInPage } from "./features/signin/SignInPage";
import { Loading } from "./shared/Loading";
import { NoSuchPage } from "./shared/NoSuchPage";
import { PageBody } from "./shared/PageBody";
import { ProblemNote } from "./shared/ProblemNote";
import { Shell } from "./shared/Shell";
import { useMe } from "./shared/useMe";

const ShelfPage = lazy(async () => ({ default: (await import("./features/shelf/ShelfPage")).ShelfPage }));
const AccountPage = lazy(async () => ({ default: (await import("./features/account/AccountPage")).AccountPage }));
const AllServersPage = lazy(async () => ({ default: (await import("./features/servers/AllServersPage")).AllServersPage }));
const AddServerPage = lazy(async () => ({ default: (await import("./features/servers/AddServerPage")).AddServerPage }));
const ChangePage = lazy(async () => ({ default: (await import("./features/changes/ChangePage")).ChangePage }));
const ServerArea = lazy(async () => ({ default: (await import("./features/servers/ServerArea")).ServerArea }));
const ServerFrame = lazy(async () => ({ default: (await import("./features/servers/ServerFrame")).ServerFrame }));
const Workspace = lazy(async () => ({ default: (await import("./features/workspace/Workspace")).Workspace }));

/** Signed in: the pages. Not signed in: the one page that is for everybody. */
export function App() {
  const me = useMe();
  if (me.error instanceof ApiProblem && me.error.status === 401) return <SignInPage />;
  if (me.error) return <ProblemNote error={me.error} />;
  if (!me.data) return null;
  return <Pages name={me.data.name} />;
}

function Pages({ name }: { name: string }) {
  useEvents();
  return (
    <Shell name={name}>
      <Suspense fallback={<Loading />}>
        <Routes>
          <Route path="/servers/:serverId" element={<ServerFrame />}>
            <Route index element={<Navigate to="files" replace />} />
            <Route path="files/*" element={<Workspace />} />
            <Route path=":area" element={<ServerArea />} />
          </Route>
          <Route element={<PageBody />}>
            <Route path="/" element={<OverviewPage />} />
            <Route path="/add-server" element={<AddServerPage />} />
            <Route path="/servers" element={<AllServersPage />} />
            <Route path="/shelf" element={<ShelfPage />} />
            <Route path="/account" element={<AccountPage name={name} />} />
            <Route path="/changes/:changeId" element={<ChangePage />} />
            <Route path="*" element={<NoSuchPage />} />
          </Route>
        </Routes>
      </Suspense>
    </Shell>
  );
}
