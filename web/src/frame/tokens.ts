/** The colours, once: Vuetify's themes and the style sheets' variables are both made from these. */

export type ThemeName = 'light' | 'dark'

const light = {
  paper: '#F5F1EA',
  sheet: '#FFFDF9',
  ink: '#221C1A',
  faded: '#6B5F57',
  rule: '#DDD3C6',
  umber: '#8A4B22',
  'on-umber': '#FFFDF9',
  lit: '#F6EEE2',
  module: '#E8DFD0',
  'module-edge': '#8F8071',
  strip: '#EBE2D4',
  'strip-edge': '#CFC2AF',
  brass: '#B9A77F',
  go: '#2A7A6B',
  slow: '#8F5708',
  risk: '#6B4E9B',
  stop: '#A8323A',
  ask: '#46627F',
  note: '#6B5F57',
  shadow: 'rgb(60 40 20 / 45%)',
}

const dark: typeof light = {
  paper: '#1B1614',
  sheet: '#241E1B',
  ink: '#F2EAE0',
  faded: '#B5A79B',
  rule: '#3D342E',
  umber: '#D9935F',
  'on-umber': '#1B1614',
  lit: '#31281F',
  module: '#4A3F37',
  'module-edge': '#8C7D70',
  strip: '#29221E',
  'strip-edge': '#4A3F37',
  brass: '#8D7C55',
  go: '#62BFAC',
  slow: '#E0A344',
  risk: '#BBA0EC',
  stop: '#F28C93',
  ask: '#A3BBD3',
  note: '#B5A79B',
  shadow: 'rgb(0 0 0 / 80%)',
}

export const tokens: Record<ThemeName, typeof light> = { light, dark }

/** Tab colours as sheets name them, muted to the family; a name that is not here is drawn grey. */
export const tabColours: Record<string, string> = {
  teal: '#3F98A0',
  grey: '#9C938A',
  gray: '#9C938A',
  black: '#3A3431',
  white: '#EFE9DF',
  blue: '#4A6FA5',
  green: '#5B8A4A',
  yellow: '#CFA93A',
  orange: '#C9772F',
  red: '#A8483F',
  purple: '#7B5E99',
  brown: '#7A5234',
}
