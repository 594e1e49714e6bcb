import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Chip from "@mui/material/Chip";
import List from "@mui/material/List";
import ListItemButton from "@mui/material/ListItemButton";
import Paper from "@mui/material/Paper";
import Table from "@mui/material/Table";
import TableBody from "@mui/material/TableBody";
import TableCell from "@mui/material/TableCell";
import TableHead from "@mui/material/TableHead";
import TableRow from "@mui/material/TableRow";
import Typography from "@mui/material/Typography";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";

import { answer, api, ApiProblem, type Schemas } from "../../api/client";
import { KindMark } from "../../shared/KindMark";
import { Loading } from "../../shared/Loading";
import { Mono } from "../../shared/Mono";
import { ProblemNote } from "../../shared/ProblemNote";

/** Which settings no one has looked at since their defaults came in. */
export function ReviewTab({ server }: { server: Schemas["ServerOut"] }) {
  const serverId = server.id;
  const [chosen, setChosen] = useState("");
  const files = useQuery({
    queryKey: ["review", serverId],
    queryFn: () => answer(api.GET("/api/v1/servers/{server_id}/review", { params: { path: { server_id: serverId } } })),
    retry: false,
  });
  if (files.error instanceof ApiProblem && files.error.status === 404) {
    return <Typography sx={{ p: 2 }}>{files.error.message}</Typography>;
  }
  if (files.error) return <ProblemNote error={files.error} />;
  if (!files.data) return <Loading />;
  const path = chosen || (files.data.find((file) => file.unread > 0) ?? files.data[0])?.path || "";
  const unread = files.data.reduce((sum, file) => sum + file.unread, 0);
  return (
    <>
      <Typography gutterBottom>
        {unread === 0 ? "Every setting has been looked at." : `${String(unread)} settings that no one has looked at since their defaults came in.`}
      </Typography>
      <Box sx={{ display: "flex", gap: 1.5, alignItems: "flex-start", flexWrap: "wrap" }}>
        <Paper sx={{ width: 330, maxHeight: "calc(100vh - 220px)", overflow: "auto" }}>
          <List component="div" dense disablePadding>
            {files.data.map((file) => (
              <ListItemButton key={file.path} selected={file.path === path} onClick={() => { setChosen(file.path); }} sx={{ gap: 1 }}>
                <Box sx={{ flex: 1, minWidth: 0 }}><Mono>{file.path}</Mono></Box>
                {file.unread > 0 ? <Chip size="small" label={`${String(file.unread)} of ${String(file.settings)}`} /> : <KindMark kind="read" />}
              </ListItemButton>
            ))}
          </List>
        </Paper>
        <Box sx={{ flex: 1, minWidth: 420 }}>{path && <Settings serverId={serverId} path={path} />}</Box>
      </Box>
    </>
  );
}

function Settings({ serverId, path }: { serverId: string; path: string }) {
  const queries = useQueryClient();
  const settings = useQuery({
    queryKey: ["review", serverId, path],
    queryFn: () =>
      answer(
        api.GET("/api/v1/servers/{server_id}/review/file", { params: { path: { server_id: serverId }, query: { path } } }),
      ),
  });
  const read = useMutation({
    mutationFn: (addresses: string[] | null) =>
      answer(
        api.POST("/api/v1/servers/{server_id}/review", { params: { path: { server_id: serverId } }, body: { path, addresses } }),
      ),
    onSuccess: () => queries.invalidateQueries({ queryKey: ["review"] }),
  });
  if (settings.error) return <ProblemNote error={settings.error} />;
  if (!settings.data) return <Loading />;
  const unread = settings.data.filter((one) => one.state === "unread").length;
  return (
    <>
      <Box sx={{ display: "flex", alignItems: "center", mb: 0.5, gap: 1 }}>
        <Typography variant="h2" sx={{ flex: 1 }}><Mono>{path}</Mono></Typography>
        <Button variant="outlined" disabled={unread === 0 || read.isPending} onClick={() => { read.mutate(null); }}>Mark all {unread} as read</Button>
      </Box>
      <ProblemNote error={read.error} />
      <Paper sx={{ overflowX: "auto" }}>
        <Table>
          <TableHead>
            <TableRow>
              <TableCell>Setting</TableCell>
              <TableCell>Value</TableCell>
              <TableCell>What it is</TableCell>
              <TableCell>State</TableCell>
              <TableCell component="td" />
            </TableRow>
          </TableHead>
          <TableBody>
            {settings.data.map((setting) => (
              <SettingRow key={setting.address} setting={setting} onRead={() => { read.mutate([setting.address]); }} />
            ))}
          </TableBody>
        </Table>
      </Paper>
    </>
  );
}

function SettingRow({ setting, onRead }: { setting: Schemas["SettingOut"]; onRead: () => void }) {
  return (
    <TableRow hover>
      <TableCell sx={{ minWidth: 190 }}><Mono>{setting.address.slice(setting.address.indexOf("#") + 1)}</Mono></TableCell>
      <TableCell>
        <Mono>{setting.value}</Mono>
        {setting.value !== setting.default && <Box sx={{ color: "text.secondary", fontSize: 12 }}>default <Mono>{setting.default}</Mono></Box>}
      </TableCell>
      <TableCell>{setting.note || setting.comment}</TableCell>
      <TableCell>
        <KindMark kind={setting.state === "own" ? "own value" : setting.state} />
        {setting.person && <Box sx={{ color: "text.secondary", fontSize: 12 }}>{setting.person}</Box>}
      </TableCell>
      <TableCell align="right">
        {setting.state === "unread" && <Button color="inherit" sx={{ whiteSpace: "nowrap" }} onClick={onRead}>Mark as read</Button>}
      </TableCell>
    </TableRow>
  );
}
