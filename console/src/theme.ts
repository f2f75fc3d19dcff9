import { theme, type ThemeConfig } from 'antd';

/** The colours that are ours: left is teal, right is amber, what differs violet, what matches slate. */
const palettes = {
  light: {
    paper: '#f7f7f3',
    panel: '#ffffff',
    ink: '#14211f',
    dim: '#5a6864',
    line: '#dfe3dc',
    left: '#0b7a75',
    'left-tint': '#dff1ef',
    right: '#a8560a',
    'right-tint': '#fbeddb',
    matched: '#52636d',
    'matched-tint': '#e6ebee',
    differing: '#6a3fbf',
    'differing-tint': '#ece5fa',
    grey: '#7b857f',
  },
  dark: {
    paper: '#101816',
    panel: '#17211f',
    ink: '#e8eeea',
    dim: '#9bada7',
    line: '#2a3733',
    left: '#4fc4bb',
    'left-tint': '#12332f',
    right: '#efa650',
    'right-tint': '#3a2810',
    matched: '#9fb0b9',
    'matched-tint': '#24303a',
    differing: '#b79bf2',
    'differing-tint': '#2d2347',
    grey: '#7c8883',
  },
};

export type Mode = keyof typeof palettes;

const storageKey = 'twinsieve-mode';

/** The mode that was chosen last, or the system's. */
export function initialMode(): Mode {
  try {
    const chosen = localStorage.getItem(storageKey);
    if (chosen === 'light' || chosen === 'dark') return chosen;
  } catch {
    // A browser may keep nothing for a page, such as one that is shown within another.
  }
  return matchMedia('(prefers-color-scheme: dark)').matches ? 'dark' : 'light';
}

/** Makes a mode's colours the page's. */
export function paint(mode: Mode) {
  const root = document.documentElement;
  for (const [name, value] of Object.entries(palettes[mode])) root.style.setProperty(`--${name}`, value);
  root.style.colorScheme = mode;
}

export function remember(mode: Mode) {
  try {
    localStorage.setItem(storageKey, mode);
  } catch {
    // Then it is not remembered.
  }
}

export function antTheme(mode: Mode): ThemeConfig {
  const c = palettes[mode];
  return {
    algorithm: mode === 'dark' ? theme.darkAlgorithm : theme.defaultAlgorithm,
    cssVar: { key: `twinsieve-${mode}` },
    token: {
      fontFamily: "'Inter Variable', system-ui, sans-serif",
      fontFamilyCode: "'JetBrains Mono', monospace",
      fontSize: 13,
      controlHeight: 30,
      borderRadius: 4,
      colorPrimary: c.ink,
      colorInfo: c.ink,
      colorLink: c.ink,
      colorText: c.ink,
      colorTextSecondary: c.dim,
      colorTextPlaceholder: c.dim,
      colorBgLayout: c.paper,
      colorBgContainer: c.panel,
      colorBgElevated: c.panel,
      colorBorder: c.line,
      colorBorderSecondary: c.line,
      colorTextLightSolid: c.paper,
      colorError: c.differing,
      // What is chosen in a list; its colour follows the ink otherwise, and the ink is then written on ink.
      controlItemBgActive: c['matched-tint'],
      controlItemBgActiveHover: c['matched-tint'],
      colorBgMask: 'rgba(20, 33, 31, 0.28)',
      boxShadow: 'none',
      boxShadowSecondary: `0 0 0 1px ${c.line}`,
      motionDurationMid: '0.1s',
      motionDurationSlow: '0.12s',
    },
    components: {
      Button: { primaryShadow: 'none', defaultShadow: 'none', fontWeight: 500 },
      Table: {
        rowSelectedBg: c['matched-tint'],
        rowSelectedHoverBg: c['matched-tint'],
        cellPaddingBlockSM: 3,
        cellPaddingInlineSM: 8,
        headerBg: c.panel,
        headerSplitColor: 'transparent',
        rowHoverBg: c['matched-tint'],
      },
    },
  };
}
