import Box from "@mui/material/Box";
import Link from "@mui/material/Link";
import Typography from "@mui/material/Typography";
import { useState } from "react";
import { Link as RouterLink } from "react-router";

import type { Schemas } from "../../api/client";
import { Mono } from "../../shared/Mono";
import { AboutDialog } from "./AboutDialog";

interface Props {
  serverId: string;
  row: Schemas["RowOut"];
  field: string;
  column: Schemas["ColumnOut"] | undefined;
  isSetting: boolean;
  path: string;
  /** Where the text of the file shows this line. */
  textAt: string;
}

/** What is known of the chosen cell: its address, what is wrong, what it may hold, what the vendor says of it. */
export function CellHelp({ serverId, row, field, column, isSetting, path, textAt }: Props) {
  const address = column === undefined || isSetting ? row.address : `${row.address}/${field}`;
  const wrong = row.findings[column === undefined ? "" : field];
  const known = column?.allowed || column?.note ? column : row.known;
  const help = [known?.allowed, known?.note, row.comment].filter(Boolean).join(" · ");
  const [isAsked, setAsked] = useState(false);
  return (
    <Typography variant="body2" color="text.secondary">
      <Mono>{`${path}#${address}`}</Mono> ·{" "}
      <Link component={RouterLink} to={textAt}>line {row.line}</Link>
      {" · "}
      <Link component="button" onClick={() => { setAsked(true); }}>about it</Link>
      {isAsked && <AboutDialog serverId={serverId} address={`${path}#${address}`} onClose={() => { setAsked(false); }} />}
      {wrong !== undefined && <Box component="span" sx={{ color: "error.main" }}> · {wrong}</Box>}
      {help && <Box component="span" sx={{ color: "text.primary" }}> · {help}</Box>}
    </Typography>
  );
}
