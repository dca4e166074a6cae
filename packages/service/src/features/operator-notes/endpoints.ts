import { endpointsOf, json, jsonBody, Refusal, Reply } from '../../kernel/index.js';
import { OPERATOR_NOTE } from '../editions/index.js';
import { idempotencyKeyOf, IdempotencyHeader, type Acceptor } from '../messages/index.js';
import { OperatorNote, OperatorNoteMade } from './model.js';

export interface OperatorNoteEndpoints {
  readonly accept: Acceptor;
  /** Whom to notify of what needs a person, by space. */
  readonly operators: ReadonlyMap<string, string | undefined>;
}

const endpoint = endpointsOf<OperatorNoteEndpoints>();

const send = endpoint({
  name: 'operatorNotes.send',
  method: 'post',
  path: '/v1/operator-notes',
  summary: 'Notify the operator of the space',
  scope: 'send',
  audited: 'people',
  headers: IdempotencyHeader,
  body: jsonBody(OperatorNote),
  answers: { 202: { ...json('A message is accepted.', OperatorNoteMade), headers: { Location: 'The address of the message.' } } },
  refusals: { 409: 'The space names no operator.' },
  isRepeatable: true,
  async run({ caller: { space }, headers, body: { subject, text } }, { accept, operators }) {
    const operator = operators.get(space);
    if (operator === undefined)
      throw new Refusal(409, 'no-operator', 'No operator is set', {
        detail: `The space "${space}" names no operator.`,
        hint: 'Set operator: ADDRESS for the space in verbalis.yaml.',
      });
    const lines = text.split(/\r\n|\r|\n/).filter((line) => line.trim() !== '');
    const note = { template: OPERATOR_NOTE, to: [operator], data: { subject, space, lines } };
    const { message } = await accept.one(space, note, { idempotencyKey: idempotencyKeyOf(headers), isBuiltIn: true });
    return new Reply({ id: message.id }, { headers: { Location: `/v1/messages/${message.id}` } });
  },
});

/** One call that notifies the operator of a space of what needs a person. */
export const operatorNoteEndpoints = [send];
