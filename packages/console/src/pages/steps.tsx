import { Empty } from '../parts/basics.js';

/** Pages of the steps that are done on the command line: what they are, and the command to do them. */
export function Write() {
  return (
    <>
      <h1>Write</h1>
      <Empty
        title="Mail is written as files"
        command={'verbalis check demo/mail\nverbalis render demo/mail booking-confirmed --sample typical'}
      >
        Templates, layouts and theme stand in a mail folder in your repository, with a data schema and samples beside each template. They
        are checked against the schema before anything is sent.
      </Empty>
    </>
  );
}

export function Try() {
  return (
    <>
      <h1>Try</h1>
      <Empty title="Look at a mail without sending it" command="verbalis render demo/mail booking-confirmed --part text">
        A sample makes a mail: its HTML, its text, or all of its bytes. A space in mode “capture” keeps what is sent to it and sends
        nothing.
      </Empty>
    </>
  );
}

export function SetUp() {
  return (
    <>
      <h1>Set up</h1>
      <Empty title="A key for each app" command="verbalis keys add shop --space harbour --scopes send,read">
        Spaces, providers and routes stand in verbalis.yaml. Keys are made on the command line with the operator’s secret and shown once.
      </Empty>
    </>
  );
}
