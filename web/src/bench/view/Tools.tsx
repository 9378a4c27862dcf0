import { Checkbox, FormControlLabel, Popover } from '@mui/material';
import { useState } from 'react';
import { useScene } from '../../scene/store';
import { ColourField } from '../card/fields/ColourField';
import { NumberField } from '../card/fields/NumberField';
import { withKey } from '../keyboard/table';
import { beginDrawing, endDrawing } from './draw';
import { viewKeys } from './keys';
import { useView, type ViewSettings } from './settings';

type Toggle = 'ghosts' | 'axes' | 'pathAxes' | 'names' | 'marks' | 'goesAlong';
const toggles: { name: Toggle; title: string }[] = [
  { name: 'ghosts', title: 'Ghosts' },
  { name: 'axes', title: 'Noses of things' },
  { name: 'pathAxes', title: 'Axes along paths' },
  { name: 'names', title: 'Names of paths' },
  { name: 'marks', title: 'Contact marks' },
  { name: 'goesAlong', title: 'Goes along with the chosen thing' },
];
const catches: { name: keyof ViewSettings['snap']; title: string }[] = [
  { name: 'points', title: 'Other points' },
  { name: 'paths', title: 'Other paths' },
  { name: 'grid', title: 'The grid' },
  { name: 'angle', title: 'Turns of 15°' },
];

/** What the View shows, what catches, and drawing. */
export function Tools({ planing, onPlane }: { planing: boolean; onPlane: () => void }) {
  const drawing = useScene((state) => state.drawing);
  const flat = useScene((state) => state.document?.space === 'flat');
  return (
    <div className="view-tools">
      <button type="button" className="chip" aria-pressed={drawing !== null} title={withKey(viewKeys, 'Draw a path')} onClick={() => (drawing === null ? beginDrawing() : endDrawing())}>
        {drawing === null ? 'Draw path' : 'End path'}
      </button>
      <ShowMenu />
      <CatchMenu />
      {!flat && (
        <button type="button" className="chip" aria-pressed={planing} title={withKey(viewKeys, 'Work plane')} onClick={onPlane}>
          Plane
        </button>
      )}
    </div>
  );
}

function Menu({ title, children }: { title: string; children: React.ReactNode }) {
  const [anchor, setAnchor] = useState<HTMLElement | null>(null);
  return (
    <>
      <button type="button" className="chip" aria-haspopup="dialog" aria-expanded={anchor !== null} onClick={(event) => setAnchor(event.currentTarget)}>
        {title}
      </button>
      <Popover open={anchor !== null} anchorEl={anchor} onClose={() => setAnchor(null)} anchorOrigin={{ vertical: 'bottom', horizontal: 'left' }} transitionDuration={0} slotProps={{ paper: { className: 'view-menu', 'aria-label': title, role: 'dialog' } }}>
        {children}
      </Popover>
    </>
  );
}

function ShowMenu() {
  const view = useView();
  return (
    <Menu title="Show">
      {toggles.map(({ name, title }) => (
        <FormControlLabel key={name} label={title} control={<Checkbox size="small" checked={view[name]} onChange={(event) => useView.setState({ [name]: event.target.checked })} />} />
      ))}
      <label className="menu-number">
        <span>Exposure</span>
        <NumberField label="exposure" value={view.exposure} unit="frames" min={0} max={10000} onPreview={(exposure) => useView.setState({ exposure })} onKeep={(exposure) => useView.setState({ exposure })} />
      </label>
      {(['from', 'to'] as const).map((end) => (
        <label key={end} className="menu-number">
          <span>{`Haze ${end}`}</span>
          <NumberField label={`haze ${end}`} value={view.haze[end]} unit="metres" min={0} max={100000} onPreview={(metres) => useView.setState({ haze: { ...view.haze, [end]: metres } })} onKeep={(metres) => useView.setState({ haze: { ...view.haze, [end]: metres } })} />
        </label>
      ))}
      {view.haze.to > 0 && (
        <label className="menu-number">
          <span>Haze is</span>
          <ColourField label="haze" value={view.haze.colour} onKeep={(colour) => useView.setState({ haze: { ...view.haze, colour } })} />
        </label>
      )}
    </Menu>
  );
}

function CatchMenu() {
  const snap = useView((state) => state.snap);
  const count = catches.filter(({ name }) => snap[name]).length;
  return (
    <Menu title={count > 0 ? `Snap · ${count}` : 'Snap'}>
      <p className="soft">What is dragged is caught by …</p>
      {catches.map(({ name, title }) => (
        <FormControlLabel key={name} label={title} control={<Checkbox size="small" checked={snap[name]} onChange={(event) => useView.setState({ snap: { ...snap, [name]: event.target.checked } })} />} />
      ))}
      <p className="soft">Ctrl lets it go freely, Shift keeps it straight or at 45°.</p>
    </Menu>
  );
}
