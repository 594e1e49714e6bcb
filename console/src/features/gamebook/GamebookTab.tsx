import Alert from "@mui/material/Alert";
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Chip from "@mui/material/Chip";
import Typography from "@mui/material/Typography";
import { useMutation, useQuery } from "@tanstack/react-query";
import { useState } from "react";

import { answer, api, ApiProblem, type Schemas } from "../../api/client";
import { ProblemNote } from "../../shared/ProblemNote";
import { GamebookEditor } from "./GamebookEditor";
import { KnownFiles } from "./KnownFiles";
import { KnownLists } from "./KnownLists";
import { RuleTable } from "./RuleTable";

type View = "rules" | "files" | "lists" | "text";

/** What is known of the server's files: rules with how often they hold, files, lists; and the text, to try and keep. */
export function GamebookTab({ server }: { server: Schemas["ServerOut"] }) {
  const [view, setView] = useState<View>("rules");
  const [line, setLine] = useState(0);
  const params = { path: { server_id: server.id } };
  const found = useQuery({
    queryKey: ["gamebook", server.id, server.last_snapshot?.id],
    queryFn: () => answer(api.GET("/api/v1/servers/{server_id}/gamebook", { params })),
    enabled: server.last_snapshot !== null,
    retry: false,
  });
  if (server.last_snapshot === null) return <Typography sx={{ p: 2 }}>No files are known yet. Press “Fetch files” first.</Typography>;
  if (found.error instanceof ApiProblem && found.error.status === 404) return <NoGamebook server={server} />;
  if (found.error) return <ProblemNote error={found.error} />;
  if (!found.data) return null;
  const book = found.data;
  const broken = book.rules.filter((rule) => rule.violations > 0).length;
  const views: [View, string][] = [
    ["rules", `rules ${String(book.rules.length)}`],
    ["files", `files ${String(book.files.length)}`],
    ["lists", `lists ${String(book.lists.length)}`],
    ["text", "text"],
  ];
  const goTo = (wanted: number) => {
    setLine(wanted);
    setView("text");
  };
  return (
    <>
      <Box sx={{ display: "flex", gap: 1, alignItems: "center", mb: 1, flexWrap: "wrap" }}>
        {views.map(([name, word]) => (
          <Chip key={name} label={word} color={name === view ? "primary" : "default"} variant={name === view ? "filled" : "outlined"} onClick={() => { setView(name); }} />
        ))}
        <Typography variant="body2" color="text.secondary" sx={{ ml: "auto" }}>
          Gamebook {book.name}. {broken === 0 ? "Every rule is satisfied by these files." : `${String(broken)} rules are violated.`}
        </Typography>
      </Box>
      {book.drafted && (
        <Alert severity="info" variant="outlined" sx={{ mb: 1 }}>
          Drafted from {book.drafted}: its rules warn and never block. Read them, and write <code>approved: true</code> into those that you approve.
        </Alert>
      )}
      {view === "rules" && <RuleTable rules={book.rules} onLine={goTo} />}
      {view === "files" && <KnownFiles files={book.files} unknown={book.unknown} onLine={goTo} />}
      {view === "lists" && <KnownLists lists={book.lists} onLine={goTo} />}
      {view === "text" && <GamebookEditor serverId={server.id} name={book.name} text={book.text} line={line} />}
    </>
  );
}

function NoGamebook({ server }: { server: Schemas["ServerOut"] }) {
  const params = { path: { server_id: server.id } };
  const draft = useMutation({
    mutationFn: () => answer(api.POST("/api/v1/servers/{server_id}/gamebook/draft", { params })),
  });
  if (draft.data) return <GamebookEditor serverId={server.id} name={server.gamebook ?? server.id} text={draft.data.text} line={0} isNew />;
  return (
    <Box sx={{ p: 2 }}>
      <Typography gutterBottom>
        This server has no gamebook, so only the syntax of its files is checked. One can be drafted from the defaults: what
        can be seen in them, with what speaks for it.
      </Typography>
      <Button variant="contained" disabled={draft.isPending || server.defaults.length === 0} onClick={() => { draft.mutate(); }}>
        Draft one from the defaults
      </Button>
      {server.defaults.length === 0 && <Typography variant="body2" color="text.secondary">Import the defaults first.</Typography>}
      <ProblemNote error={draft.error} />
    </Box>
  );
}
