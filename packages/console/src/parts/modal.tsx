import { Modal, ModalOverlay } from 'react-aria-components';
import styled from 'styled-components';
import { color, font } from '../style.js';

/** The backdrop of a dialog. It is rendered in a portal outside of the page, so it needs a background of its own. */
export const Ground = styled(ModalOverlay)`
  position: fixed;
  inset: 0;
  background: rgb(0 0 0 / 0.4);
  display: grid;
  place-items: center;
  padding: 16px;
  z-index: 10;
`;

/** The dialog itself. */
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
