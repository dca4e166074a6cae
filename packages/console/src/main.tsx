import '@fontsource-variable/literata';
import '@fontsource-variable/source-sans-3';
import '@fontsource/ibm-plex-mono/400.css';
import '@fontsource/ibm-plex-mono/600.css';
import { StrictMode } from 'react';
import { createRoot } from 'react-dom/client';
import { StyleSheetManager } from 'styled-components';
import { App } from './app.js';
import { GlobalStyle } from './style.js';

const meta = document.querySelector<HTMLMetaElement>('meta[property="csp-nonce"]');
const root = document.getElementById('root');
if (root === null) throw new Error('The page has no place for the console.');

createRoot(root).render(
  <StrictMode>
    <StyleSheetManager nonce={meta?.nonce}>
      <GlobalStyle />
      <App />
    </StyleSheetManager>
  </StrictMode>,
);
