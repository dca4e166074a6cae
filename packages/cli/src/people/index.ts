import { type Command } from 'commander';
import { connect } from '../connection.js';
import { confirmed, only, type Making, type Remote } from '../command.js';
import type * as Commands from './people.js';

const load = (): Promise<typeof Commands> => import('./people.js');

const ROLE = 'SPACE=viewer|member|operator, "*=…" for every space; viewer+content also sees what emails say';

/** Commands of this feature. */
export function define(root: Command, { run, remote, listed, example }: Making): void {
  const people = root.command('people').description('set up: work with people and their roles');

  example(
    remote(
      people
        .command('invite <email>')
        .description('invite a person by an email with a sign-in link')
        .requiredOption('--role <role...>', ROLE)
        .option('--name <name>', 'how they are called')
        .option('--link', 'print the link instead of sending it'),
    ),
    'verbalis people invite mara.voss@saltmarsh-ferries.example --role harbour=member --role drydock=member',
    'verbalis people invite ines.roth@saltmarsh-ferries.example --role "*=operator" --link',
  ).action((email: string, options: Remote & Commands.InviteOptions) =>
    run(async (output) => (await load()).invite(connect(options), email, only(options), output)),
  );

  listed(people.command('list').description('list people with their roles')).action((options: Remote) =>
    run(async (output) => (await load()).listPeople(connect(options), only(options), output)),
  );

  example(
    remote(
      people
        .command('role <person>')
        .description('replace the roles of a person, by address or id')
        .requiredOption('--role <role...>', ROLE),
    ),
    'verbalis people role vera.holm@saltmarsh-ferries.example --role harbour=viewer+content',
  ).action((person: string, options: Remote & Commands.RoleOptions) =>
    run(async (output) => (await load()).setRoles(connect(options), person, only(options), output)),
  );

  example(
    remote(
      people
        .command('link <person>')
        .description('invite a person again; earlier links become invalid')
        .option('--link', 'print the link instead of sending it'),
    ),
    'verbalis people link vera.holm@saltmarsh-ferries.example --link',
  ).action((person: string, options: Remote & Commands.LinkOptions) =>
    run(async (output) => (await load()).inviteAgain(connect(options), person, only(options), output)),
  );

  remote(
    people
      .command('remove <person>')
      .description('remove a person; their sessions and links end immediately')
      .option('--yes', 'do not ask'),
  ).action((person: string, options: Remote & { yes?: boolean }) =>
    run(async (output) => {
      if (!(await confirmed(`Remove ${person} and end their sessions?`, options, output))) return 1;
      return (await load()).removePerson(connect(options), person, output);
    }),
  );

  listed(people.command('sessions').description('list open sessions of the console')).action((options: Remote) =>
    run(async (output) => (await load()).listSessions(connect(options), only(options), output)),
  );

  remote(people.command('end-session <session>').description('end a session of the console')).action((id: string, options: Remote) =>
    run(async (output) => (await load()).endSession(connect(options), id, output)),
  );

  example(
    remote(
      root
        .command('console')
        .description('set up: open the console')
        .command('link')
        .description('print a link that opens the console once, within 15 minutes'),
    ),
    'VERBALIS_OPERATOR_SECRET=… verbalis console link',
  ).action((options: Remote) => run(async (output) => (await load()).signIn(connect(options), output)));
}
