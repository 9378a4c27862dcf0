import { CssBaseline, ThemeProvider } from '@mui/material';
import { useEffect, useMemo } from 'react';
import { Bench } from './bench/Bench';
import { Handoff } from './handoff/Handoff';
import { PatternBook } from './patternbook/PatternBook';
import { useRoute } from './route';
import { useMode } from './theme/mode';
import { themeFor } from './theme/theme';
import { night, tokens } from './theme/tokens';

export function App() {
  const mode = useMode((state) => state.mode);
  const theme = useMemo(() => themeFor(mode), [mode]);
  useEffect(() => {
    const root = document.documentElement;
    root.dataset.mode = mode;
    root.style.colorScheme = mode;
    for (const [name, colour] of Object.entries(tokens[mode])) {
      root.style.setProperty(`--${name === 'onPersimmon' ? 'on-persimmon' : name}`, colour);
    }
    for (const [name, colour] of Object.entries(night)) root.style.setProperty(`--night-${name}`, colour);
  }, [mode]);
  return (
    <ThemeProvider theme={theme}>
      <CssBaseline />
      <Page />
    </ThemeProvider>
  );
}

function Page() {
  const route = useRoute();
  switch (route.page) {
    case 'bench':
      return <Bench key={route.scene} scene={route.scene} />;
    case 'handoff':
      return <Handoff key={route.scene} scene={route.scene} />;
    default:
      return <PatternBook />;
  }
}
