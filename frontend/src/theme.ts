import { createTheme } from '@mui/material/styles';

declare module '@mui/material/styles' {
  interface Palette {
    tone: Tones;
  }
  interface PaletteOptions {
    tone?: Tones;
  }
}

/** Colours beyond MUI's own: lines, states, and the strip that stays dark in both schemes. */
interface Tones {
  line: string;
  quiet: string;
  stop: string;
  warn: string;
  warnGround: string;
  note: string;
  clear: string;
  strip: string;
  stripText: string;
  track: string;
  block: string;
  soft: string;
}

const light: Tones = {
  line: '#D9D5C9',
  quiet: '#5B6A6E',
  stop: '#A3271F',
  warn: '#8A5A00',
  warnGround: '#FFF3D6',
  note: '#3C5A73',
  clear: '#2F6B3C',
  strip: '#1E2A2E',
  stripText: '#C9D3D2',
  track: '#FBFAF6',
  block: '#8C948F',
  soft: '#E3EFEE',
};

const dark: Tones = {
  line: '#37454A',
  quiet: '#A3B0B2',
  stop: '#F2938A',
  warn: '#EFC06A',
  warnGround: '#3A2F16',
  note: '#A3C1D9',
  clear: '#8FCB9C',
  strip: '#0E1416',
  stripText: '#C9D3D2',
  track: '#232D31',
  block: '#5D6A6E',
  soft: '#1F3A3E',
};

export const mono = '"Atkinson Hyperlegible Mono", ui-monospace, monospace';

export const theme = createTheme({
  cssVariables: { colorSchemeSelector: 'data-scheme' },
  colorSchemes: {
    light: {
      palette: {
        primary: { main: '#0B5A63' },
        secondary: { main: '#B86E00' },
        error: { main: '#A3271F' },
        background: { default: '#F6F4EE', paper: '#FFFFFF' },
        text: { primary: '#1E2A2E', secondary: '#5B6A6E' },
        divider: '#D9D5C9',
        tone: light,
      },
    },
    dark: {
      palette: {
        primary: { main: '#6CC0CA', contrastText: '#0E1416' },
        secondary: { main: '#E0A24A' },
        error: { main: '#F2938A' },
        background: { default: '#161C1F', paper: '#1D2528' },
        text: { primary: '#E9E6DD', secondary: '#A3B0B2' },
        divider: '#37454A',
        tone: dark,
      },
    },
  },
  shape: { borderRadius: 4 },
  spacing: 8,
  typography: {
    fontFamily: '"Atkinson Hyperlegible Next", system-ui, sans-serif',
    fontSize: 14,
    body1: { fontSize: 14, lineHeight: '20px' },
    button: { textTransform: 'none', fontWeight: 600 },
  },
  components: {
    MuiButton: { defaultProps: { disableElevation: true, size: 'small' } },
    MuiButtonBase: {
      defaultProps: { disableRipple: true },
      styleOverrides: {
        root: { '&.Mui-focusVisible': { outline: '2px solid var(--accent)', outlineOffset: 1 } },
      },
    },
    MuiTextField: { defaultProps: { size: 'small' } },
    MuiInputBase: { styleOverrides: { root: { fontSize: 'inherit', lineHeight: 'inherit' } } },
    MuiOutlinedInput: {
      styleOverrides: {
        root: {
          maxWidth: '100%',
          background: 'var(--panel)',
          fontSize: 14,
          '&.MuiInputBase-multiline': { padding: '3px 0' },
        },
        input: {
          height: 20,
          padding: '5px 8px',
          '&.mono': { fontFamily: mono, fontSize: 13 },
          'textarea&': { height: 'auto' },
        },
        notchedOutline: { borderColor: 'var(--block)' },
      },
    },
    MuiInputLabel: {
      styleOverrides: {
        outlined: { '&:not(.MuiInputLabel-shrink)': { transform: 'translate(9px, 5px)' } },
      },
    },
    MuiCheckbox: { styleOverrides: { root: { padding: 2 } } },
    MuiLink: {
      styleOverrides: {
        root: {
          font: 'inherit',
          textAlign: 'left',
          verticalAlign: 'baseline',
          textDecorationColor: 'inherit',
        },
      },
    },
    MuiTable: { defaultProps: { size: 'small' } },
    MuiTableCell: {
      styleOverrides: {
        root: {
          padding: '4px 8px',
          fontSize: 13,
          lineHeight: '20px',
          borderColor: 'var(--line)',
          verticalAlign: 'top',
        },
        head: { color: 'var(--quiet)', fontSize: 12.5, fontWeight: 600 },
      },
    },
    MuiPaper: { defaultProps: { elevation: 0 } },
    MuiAlert: {
      styleOverrides: {
        root: { padding: '2px 0', background: 'none', color: 'var(--stop)', fontSize: 'inherit' },
        icon: { padding: '3px 0', marginRight: 6 },
        message: { padding: 0 },
      },
    },
    MuiDialog: {
      defaultProps: { transitionDuration: 0 },
      styleOverrides: { paper: { border: '1px solid var(--line)', backgroundImage: 'none' } },
    },
    // nothing there shows what moved where, so nothing moves
    MuiPopover: {
      defaultProps: { transitionDuration: 0 },
      styleOverrides: {
        paper: { border: '1px solid var(--line)', backgroundImage: 'none', boxShadow: 'none' },
      },
    },
    MuiMenu: {
      defaultProps: { transitionDuration: 0 },
      styleOverrides: { paper: { border: '1px solid var(--line)', backgroundImage: 'none' } },
    },
  },
});
