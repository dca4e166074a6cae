import { Dialog, DialogTrigger, Heading } from 'react-aria-components';
import styled from 'styled-components';
import { Button } from './basics.js';
import { Box, Ground } from './modal.js';

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
  /** The complete label, for people who do not see its context. */
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
