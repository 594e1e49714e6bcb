import Alert from "@mui/material/Alert";
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Chip from "@mui/material/Chip";
import Typography from "@mui/material/Typography";
import { useMutation, useQuery } from "@tanstack/react-query";
import { useState } from "react";

import { answer, api, ApiProblem, type Schemas } from "../../api/client";
import { Loading } from "../../shared/Loading";
import { ProblemNote } from "../../shared/ProblemNote";
import { usePageQuery } from "../../shared/usePageQuery";
import { RuleDialog } from "../rules/RuleDialog";
import { TROUBLE } from "../rules/ruleForm";
import { SuggestedRules } from "../rules/SuggestedRules";
import { GamebookEditor } from "./GamebookEditor";
import { KnownFiles } from "./KnownFiles";
import { KnownLists } from "./KnownLists";
import { RuleTable } from "./RuleTable";

const VIEWS = ["rules", "suggested", "files", "lists", "text"] as const;
type View = (typeof VIEWS)[number];

/** What is known of the server's files: rules with how often they hold, files, lists; and the text, to try and keep. */
export function GamebookTab({ server }: { server: Schemas["ServerOut"] }) {
  const [query, turn] = usePageQuery();
  const view = VIEWS.find((one) => one === query.get("view")) ?? "rules";
  const setView = (to: View) => { turn({ view: to }); };
  const [line, setLine] = useState(0);
  const [isEditing, setEditing] = useState(false);
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
  if (!found.data) return <Loading />;
  const book = found.data;
  const broken = book.rules.filter((rule) => rule.violations > 0).length;
  const views: [View, string][] = [
    ["rules", `rules ${String(book.rules.length)}`],
    ["suggested", "suggested rules"],
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
        <Button onClick={() => { setEditing(true); }}>Logs and crash files …</Button>
        <Typography variant="body2" color="text.secondary" sx={{ ml: "auto" }}>
          Gamebook {book.name}. {book.rules.length === 0 ? "It has no rules yet; some may be suggested." : broken === 0 ? "Every rule is satisfied by these files." : `${String(broken)} rules are violated.`}
        </Typography>
      </Box>
      {book.drafted && (
        <Alert severity="info" variant="outlined" sx={{ mb: 1 }}>
          Drafted from {book.drafted}: rules that no one has accepted are notices and never block. Decide about each under “suggested rules”.
        </Alert>
      )}
      {isEditing && (
        <RuleDialog
          serverId={server.id}
          title="Logs and crash files of the game"
          rule={{ part: TROUBLE, location: [TROUBLE], data: book.trouble }}
          onClose={() => { setEditing(false); }}
        />
      )}
      {view === "rules" && <RuleTable serverId={server.id} rules={book.rules} onLine={goTo} />}
      {view === "suggested" && <SuggestedRules serverId={server.id} />}
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
      {server.defaults.length > 0 && (
        <Box sx={{ mt: 2 }}>
          <Typography variant="h2" gutterBottom>Or begin with single rules</Typography>
          <SuggestedRules serverId={server.id} />
        </Box>
      )}
    </Box>
  );
}
