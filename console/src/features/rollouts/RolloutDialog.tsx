import Button from "@mui/material/Button";
import Dialog from "@mui/material/Dialog";
import DialogActions from "@mui/material/DialogActions";
import DialogContent from "@mui/material/DialogContent";
import DialogTitle from "@mui/material/DialogTitle";
import MenuItem from "@mui/material/MenuItem";
import Box from "@mui/material/Box";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useMutation, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { useNavigate } from "react-router";

import { answer, api, AT_ONCE, type Schemas } from "../../api/client";
import { ProblemNote } from "../../shared/ProblemNote";
import { OptionFields } from "../runs/OptionFields";

const WAVES = [1, 2, 3, 4, 5];

/** The same change on several servers: each is put into a wave; the next wave begins when all of the last one run well. */
export function RolloutDialog({ change, onClose }: { change: Schemas["ChangeDetail"]; onClose: () => void }) {
  const [waveOf, setWaveOf] = useState<Record<string, number>>({});
  const [options, setOptions] = useState(AT_ONCE);
  const navigate = useNavigate();
  const servers = useQuery({ queryKey: ["servers"], queryFn: () => answer(api.GET("/api/v1/servers")) });
  const waves = WAVES.map((wave) => Object.keys(waveOf).filter((id) => waveOf[id] === wave)).filter((wave) => wave.length > 0);
  const begin = useMutation({
    mutationFn: () => answer(api.POST("/api/v1/rollouts", { body: { change: change.id, waves, options } })),
    onSuccess: () => navigate("/servers"),
  });
  return (
    <Dialog open onClose={onClose} fullWidth maxWidth="sm">
      <DialogTitle>Roll change {change.id} out</DialogTitle>
      <DialogContent>
        <Typography gutterBottom>
          Each server gets the steps on its own files and is restarted. A wave begins when all servers of the one before run
          well; at the first that does not, the rest is left as it is.
        </Typography>
        {servers.data?.map((server) => (
          <Box key={server.id} sx={{ display: "flex", alignItems: "center", gap: 1, my: 1 }}>
            <Box sx={{ flex: 1 }}>{server.title}{server.id === change.server && " (where it was made)"}</Box>
            <TextField
              select
              label={`Wave of ${server.id}`}
              value={waveOf[server.id] ?? 0}
              onChange={(event) => { setWaveOf({ ...waveOf, [server.id]: Number(event.target.value) }); }}
              sx={{ width: 200 }}
            >
              <MenuItem value={0}>not included</MenuItem>
              {WAVES.map((wave) => <MenuItem key={wave} value={wave}>wave {wave}</MenuItem>)}
            </TextField>
          </Box>
        ))}
        <OptionFields options={options} onChange={setOptions} />
        <ProblemNote error={begin.error} />
      </DialogContent>
      <DialogActions>
        <Button onClick={onClose}>Cancel</Button>
        <Button variant="contained" disabled={waves.length === 0 || begin.isPending} onClick={() => { begin.mutate(); }}>Start rollout</Button>
      </DialogActions>
    </Dialog>
  );
}
