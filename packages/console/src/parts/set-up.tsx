import { Empty } from './basics.js';

/** The step that is done on the command line: what it is, and the command to do it. */
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
