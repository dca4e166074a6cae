import { Dialog, DialogTrigger, Heading, Modal, ModalOverlay } from 'react-aria-components';
import styled from 'styled-components';
import { color, font } from '../style.js';
import { Button } from './basics.js';

// It stands in a portal outside of the page, so it brings its own ground.
const Ground = styled(ModalOverlay)`
  position: fixed;
  inset: 0;
  background: rgb(0 0 0 / 0.4);
  display: grid;
  place-items: center;
  padding: 16px;
  z-index: 10;
`;

const Box = styled(Modal)`
  background: ${color.paper};
  color: ${color.text};
  border-radius: 8px;
  padding: 24px;
  max-width: 460px;
  box-shadow: 0 16px 48px rgb(0 0 0 / 0.3);
  [role='alertdialog'] {
    display: grid;
    gap: 16px;
    outline: none;
  }
  h2 {
    font: 560 20px/1.25 ${font.serif};
  }
`;

const Row = styled.div`
  display: flex;
  gap: 12px;
  justify-content: flex-end;
`;

/** What cannot be undone asks first, with the name of the thing. */
export function Confirm({
  label,
  name,
  title,
  words,
  action = 'Remove',
  onConfirm,
}: {
  readonly label: string;
  /** The whole of it, for who does not see what it stands beside. */
  readonly name?: string;
  readonly title: string;
  readonly words: string;
  /** What the button that does it says. */
  readonly action?: string;
  readonly onConfirm: () => void;
}) {
  return (
    <DialogTrigger>
      <Button $quiet {...(name === undefined ? {} : { 'aria-label': name })}>
        {label}
      </Button>
      <Ground isDismissable>
        <Box>
          <Dialog role="alertdialog">
            {({ close }) => (
              <>
                <Heading slot="title" level={2}>
                  {title}
                </Heading>
                <p>{words}</p>
                <Row>
                  <Button $quiet autoFocus onPress={close}>
                    Keep
                  </Button>
                  <Button
                    onPress={() => {
                      close();
                      onConfirm();
                    }}
                  >
                    {action}
                  </Button>
                </Row>
              </>
            )}
          </Dialog>
        </Box>
      </Ground>
    </DialogTrigger>
  );
}
