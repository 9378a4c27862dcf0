import { Button, Dialog } from '@mui/material';
import { useState } from 'react';
import { beginGuide } from './guide-state';
import { show, useOverlay } from '../overlays';
import { keyTable, wordTable } from './words';
import './guide.css';

/** All keys and words. */
export function Help() {
  const open = useOverlay((state) => state.open === 'help');
  const [text, setText] = useState('');
  const fits = (...words: string[]) => words.join(' ').toLowerCase().includes(text.toLowerCase());
  const close = () => {
    show(null);
    setText('');
  };
  return (
    <Dialog open={open} onClose={close} maxWidth="lg" fullWidth transitionDuration={0} aria-label="All keys and words" slotProps={{ paper: { className: 'help' } }}>
      <header className="help-head">
        <h2>All keys and words</h2>
        <span className="field">
          <input aria-label="Find a key or a word" placeholder="find a key or a word" value={text} autoFocus onChange={(event) => setText(event.target.value)} />
        </span>
        <span className="gap" />
        <Button
          variant="outlined"
          onClick={() => {
            close();
            beginGuide();
          }}
        >
          Guided start
        </Button>
        <Button variant="outlined" onClick={close}>
          Close
        </Button>
      </header>
      <div className="help-body">
        {keyTable.map(({ where, lines }) => {
          const found = lines.filter(([key, does]) => fits(where, key, does));
          return found.length > 0 ? (
            <section key={where}>
              <h3>{where.charAt(0).toUpperCase() + where.slice(1)}</h3>
              <dl>
                {found.map(([key, does]) => (
                  <div key={key}>
                    <dt className="mono">{key}</dt>
                    <dd>{does}</dd>
                  </div>
                ))}
              </dl>
            </section>
          ) : null;
        })}
        <section>
          <h3>Words</h3>
          <dl>
            {wordTable
              .filter(([word, is]) => fits('words', word, is))
              .map(([word, is]) => (
                <div key={word}>
                  <dt>
                    <strong>{word}</strong>
                  </dt>
                  <dd>{is}</dd>
                </div>
              ))}
          </dl>
        </section>
      </div>
    </Dialog>
  );
}
