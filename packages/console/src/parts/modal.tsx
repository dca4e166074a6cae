import { Modal, ModalOverlay } from 'react-aria-components';
import styled from 'styled-components';
import { color, font } from '../style.js';

/** What lies between a page and a question. It stands in a portal outside of the page, so it brings its own ground. */
export const Ground = styled(ModalOverlay)`
  position: fixed;
  inset: 0;
  background: rgb(0 0 0 / 0.4);
  display: grid;
  place-items: center;
  padding: 16px;
  z-index: 10;
`;

/** The sheet of a question. */
export const Box = styled(Modal)`
  background: ${color.paper};
  color: ${color.text};
  border-radius: 8px;
  padding: 24px;
  max-width: 460px;
  max-height: calc(100vh - 32px);
  overflow: auto;
  box-shadow: 0 16px 48px rgb(0 0 0 / 0.3);
  [role='alertdialog'],
  [role='dialog'] {
    display: grid;
    gap: 16px;
    outline: none;
  }
  h2 {
    font: 560 20px/1.25 ${font.serif};
  }
`;
