import { createTheme, type Theme } from '@mui/material/styles';
import { tokens, type Mode } from './tokens';

const text = '"Atkinson Hyperlegible Next", system-ui, sans-serif';
const heading = '"Bricolage Grotesque Variable", "Atkinson Hyperlegible Next", sans-serif';

/** The component library dressed in our paper: no shadows, no gradients, corners of 3 px. */
export function themeFor(mode: Mode): Theme {
  const t = tokens[mode];
  const hairline = `1px solid ${t.line}`;
  return createTheme({
    palette: {
      mode,
      primary: { main: t.persimmon, contrastText: t.onPersimmon },
      secondary: { main: t.mulberry },
      success: { main: t.green },
      warning: { main: t.amber },
      error: { main: t.brick },
      background: { default: t.paper, paper: t.raised },
      text: { primary: t.ink, secondary: t.soft },
      divider: t.line,
    },
    shape: { borderRadius: 3 },
    shadows: Array(25).fill('none') as unknown as Theme['shadows'],
    typography: { fontFamily: text, fontSize: 13, h1: { fontFamily: heading, fontSize: 18, fontWeight: 700 }, body1: { fontSize: 13, lineHeight: 1.4 }, body2: { fontSize: 13, lineHeight: 1.4 }, button: { textTransform: 'none', fontWeight: 500, letterSpacing: 0 } },
    components: {
      MuiButtonBase: { defaultProps: { disableRipple: true } },
      MuiButton: {
        defaultProps: { disableElevation: true, size: 'small' },
        styleOverrides: {
          root: { minHeight: 30, padding: '3px 12px', fontSize: 13, lineHeight: 1.4, '&.Mui-focusVisible': { outline: `2px dashed ${t.mulberry}`, outlineOffset: 2 } },
          contained: { fontWeight: 700 },
          outlined: { borderColor: t.line, color: t.ink, background: t.paper },
        },
      },
      MuiIconButton: { styleOverrides: { root: { borderRadius: 3, color: t.ink, '&.Mui-focusVisible': { outline: `2px dashed ${t.mulberry}` } } } },
      MuiPaper: { styleOverrides: { root: { backgroundImage: 'none', border: hairline } } },
      MuiMenu: { defaultProps: { transitionDuration: 0 } },
      MuiMenuItem: { styleOverrides: { root: { fontSize: 13, minHeight: 30, '&.Mui-selected, &.Mui-selected:hover': { background: t.paper, fontWeight: 600 }, '&.Mui-focusVisible': { background: t.paper, outline: `1px dashed ${t.mulberry}`, outlineOffset: -2 } } } },
      MuiTooltip: { defaultProps: { enterDelay: 500, disableInteractive: true }, styleOverrides: { tooltip: { background: t.ink, color: t.paper, fontSize: 12.5, fontWeight: 400, borderRadius: 3 } } },
      MuiSelect: { defaultProps: { MenuProps: { transitionDuration: 0 } }, styleOverrides: { select: { padding: '3px 8px', fontSize: 13 } } },
      MuiOutlinedInput: {
        styleOverrides: {
          root: { background: t.paper, fontSize: 13, '&.Mui-focused .MuiOutlinedInput-notchedOutline': { border: `1px dashed ${t.mulberry}` } },
          notchedOutline: { borderColor: t.line },
          input: { padding: '3px 8px', height: 'auto' },
        },
      },
      MuiCheckbox: { styleOverrides: { root: { padding: 3, color: t.soft, '&.Mui-checked': { color: t.green }, '&.Mui-focusVisible': { outline: `2px dashed ${t.mulberry}` } } } },
      MuiSnackbarContent: { styleOverrides: { root: { background: t.ink, color: t.paper, border: 'none', fontSize: 13 } } },
    },
  });
}
