import { Button, Dialog } from '@mui/material';
import { useQuery } from '@tanstack/react-query';
import { api } from '../api/client';
import type { FileReport, OrderedFile } from '../api/types';
import { length } from '../handoff/length';

type OutputReport = FileReport['outputs'][number];
type Missed = OutputReport['read_back'][number];

/** What a file holds and leaves out, and what is off by how much. */
export function Report({ file, onClose }: { file: OrderedFile; onClose: () => void }) {
  const { data, error } = useQuery({ queryKey: ['report', file.id], queryFn: () => api.fileReport(file.id), staleTime: Infinity, retry: false });
  return (
    <Dialog open onClose={onClose} aria-labelledby="report-name" slotProps={{ paper: { className: 'report' } }}>
      <h2 id="report-name">{`Report · ${file.file}`}</h2>
      {error && <p className="wrong">{error.message}</p>}
      {data && (
        <>
          <p className="soft">{`${data.scene} · ${data.fps} frames a second · frames ${data.frames[0]} to ${data.frames[1]}`}</p>
          {data.outputs.map((output, i) => (
            // Several may have one name.
            <Output key={i} output={output} />
          ))}
          {data.broken.map(([name, why]) => (
            <p key={name} className="wrong">{`"${name}" is not in it. ${why}`}</p>
          ))}
        </>
      )}
      <Button variant="contained" onClick={onClose}>
        Close
      </Button>
    </Dialog>
  );
}

function Output({ output }: { output: OutputReport }) {
  const of = [...new Set([...output.keys.map((row) => row.of), ...output.read_back.map((row) => row.of)])];
  const several = output.things > 1;
  return (
    <section aria-label={output.name}>
      <h3>
        {output.name} <span className="soft">{output.things === 1 ? '1 thing' : `${output.things} things`}</span>
      </h3>
      {of.length === 0 ? (
        <p>Rows at every step, as they are; nothing to compare.</p>
      ) : (
        <table>
          <thead>
            <tr>
              <th scope="col">
                <span className="hidden">channel</span>
              </th>
              <th scope="col">keys</th>
              <th scope="col" title="Compared when the keys were made">
                off when made
              </th>
              <th scope="col" title="Read back from the written file and compared with the motion">
                off when read back
              </th>
            </tr>
          </thead>
          <tbody>
            {of.map((name) => {
              const keys = output.keys.find((row) => row.of === name);
              return (
                <tr key={name}>
                  <th scope="row">{name}</th>
                  <td className="mono">{keys ? (keys.keys === 0 ? 'still' : keys.keys) : ''}</td>
                  <td>{shown(keys?.missed ?? undefined, several)}</td>
                  <td>{shown(output.read_back.find((row) => row.of === name), several)}</td>
                </tr>
              );
            })}
          </tbody>
        </table>
      )}
      {output.left_out.length > 0 && <p>{`Not in this file: ${output.left_out.join(', ')}.`}</p>}
    </section>
  );
}

function shown(missed: Missed | undefined, several: boolean) {
  if (!missed) return <span className="soft">not compared</span>;
  const { error, unit } = missed;
  const words = unit === 'm' ? length(error) : unit === '°' ? `${Number(error.toPrecision(2))}°` : `${Number((error * 100).toPrecision(2))} %`;
  return (
    <>
      <span className="mono">{words}</span>
      {error > 0 && <span className="soft">{` at ${missed.frame.toFixed(2)}${several ? `, thing ${missed.thing}` : ''}`}</span>}
    </>
  );
}
