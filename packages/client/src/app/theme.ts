import { theme, type ThemeConfig } from 'antd';
import type { Appearance } from '../ui/appearance';

/** Neutral greys without hue, one accent (lamp amber), dim and bright. */
export function themeFor(appearance: Appearance): ThemeConfig {
  const dim = appearance === 'dim';
  return {
    algorithm: [dim ? theme.darkAlgorithm : theme.defaultAlgorithm, theme.compactAlgorithm],
    token: {
      colorPrimary: dim ? '#d8973c' : '#8f5a0a',
      colorInfo: dim ? '#d8973c' : '#8f5a0a',
      colorLink: dim ? '#e2ab5c' : '#8f5a0a',
      colorBgBase: dim ? '#202020' : '#f4f4f4',
      colorTextBase: dim ? '#e9e9e9' : '#1c1c1c',
      fontFamily: "'Inter Variable', sans-serif",
      fontSize: 13,
      borderRadius: 4,
      motion: false,
      wireframe: false,
    },
    components: { Card: { bodyPadding: 12, headerHeight: 36 }, Form: { itemMarginBottom: 10 } },
  };
}
