import { RefusedError, type SessionView } from '@verbalis/client';
import { MutationCache, QueryCache, QueryClient, QueryClientProvider } from '@tanstack/react-query';
import { lazy, useCallback, useEffect, useMemo, useState, type ComponentType } from 'react';
import { RouterProvider } from 'react-aria-components';
import { BrowserRouter, Navigate, Route, Routes, useHref, useNavigate } from 'react-router';
import { Frame } from './parts/frame.js';
import { Missing, MissingSpace } from './parts/missing.js';
import { SignIn } from './people/sign-in.js';
import { SignedOut } from './people/signed-out.js';
import { baseOf, usePlace, withoutSpace } from './place.js';
import { consoleClient, rememberedSpace, rememberSpace, SessionContext, useSession, type Session } from './session.js';

/** A page whose script is fetched when it is opened for the first time. */
function page<Name extends string>(name: Name, load: () => Promise<Readonly<Record<Name, ComponentType>>>) {
  return lazy(async () => ({ default: (await load())[name] }));
}
const Message = page('Message', () => import('./messages/message.js'));
const Compose = page('Compose', () => import('./messages/compose.js'));
const Messages = page('Messages', () => import('./messages/messages.js'));
const People = page('People', () => import('./people/people.js'));
const Audit = page('Audit', () => import('./audit/audit.js'));
const Configuration = page('Configuration', () => import('./configuration/configuration.js'));
const Spaces = page('Spaces', () => import('./spaces/spaces.js'));
const Backups = page('Backups', () => import('./backups/backups.js'));
const Cluster = page('Cluster', () => import('./cluster/cluster.js'));
const InboundEmail = page('InboundEmail', () => import('./inbound/email.js'));
const Inbound = page('Inbound', () => import('./inbound/inbound.js'));
const Return = page('Return', () => import('./returns/return.js'));
const Returns = page('Returns', () => import('./returns/returns.js'));
const Send = page('Send', () => import('./queue/send.js'));
const Health = page('Health', () => import('./doctor/health.js'));
const Domain = page('Domain', () => import('./domains/domain.js'));
const Domains = page('Domains', () => import('./domains/domains.js'));
const BulkSends = page('BulkSends', () => import('./bulk-sends/bulk-sends.js'));
const BulkSendPage = page('BulkSendPage', () => import('./bulk-sends/bulk-send.js'));
const Schedules = page('Schedules', () => import('./schedules/schedules.js'));
const SchedulePage = page('SchedulePage', () => import('./schedules/schedule.js'));
const Senders = page('Senders', () => import('./senders/senders.js'));
const SignalPage = page('SignalPage', () => import('./signals/signal.js'));
const Signals = page('Signals', () => import('./signals/signals.js'));
const Topics = page('Topics', () => import('./consent/topics.js'));
const Keys = page('Keys', () => import('./keys/keys.js'));
const Alerts = page('Alerts', () => import('./alerts/alerts.js'));
const Providers = page('Providers', () => import('./providers/providers.js'));
const Quarantine = page('Quarantine', () => import('./quarantine/quarantine.js'));
const Figures = page('Figures', () => import('./figures/figures.js'));
const Live = page('Live', () => import('./events/live.js'));
const SubscriptionPage = page('SubscriptionPage', () => import('./webhooks/subscription-page.js'));
const Subscriptions = page('Subscriptions', () => import('./webhooks/subscriptions.js'));
const Captured = page('Captured', () => import('./capture/captured.js'));
const CapturedList = page('CapturedList', () => import('./capture/captured-list.js'));
const Search = page('Search', () => import('./search/search.js'));
const Templates = page('Templates', () => import('./workbench/templates.js'));
const Suppressions = page('Suppressions', () => import('./suppressions/suppressions.js'));
const Template = page('Template', () => import('./workbench/template.js'));
const Editions = page('Editions', () => import('./editions/editions.js'));

/** All pages of a space. */
function Pages({ home }: { readonly home: string }) {
  const { operator } = useSession();
  const navigate = useNavigate();
  return (
    <RouterProvider navigate={(to) => void navigate(to)} useHref={useHref}>
      <Routes>
        <Route element={<Frame />}>
          <Route path="/write" element={<Templates />} />
          <Route path="/write/templates/:name" element={<Template />} />
          <Route path="/write/editions" element={<Editions />} />
          <Route path="/try" element={<CapturedList />} />
          <Route path="/try/:id" element={<Captured />} />
          <Route path="/search" element={<Search />} />
          <Route path="/send" element={<Send />} />
          <Route path="/send/compose" element={<Compose />} />
          <Route path="/send/signals" element={<Signals />} />
          <Route path="/send/signals/:id" element={<SignalPage />} />
          <Route path="/send/bulk-sends" element={<BulkSends />} />
          <Route path="/send/bulk-sends/:id" element={<BulkSendPage />} />
          <Route path="/send/schedules" element={<Schedules />} />
          <Route path="/send/schedules/:name" element={<SchedulePage />} />
          <Route path="/track" element={<Messages />} />
          <Route path="/track/messages/:id" element={<Message />} />
          <Route path="/track/returns" element={<Returns />} />
          <Route path="/track/returns/:id" element={<Return />} />
          <Route path="/track/inbound" element={<Inbound />} />
          <Route path="/track/inbound/:id" element={<InboundEmail />} />
          <Route path="/track/suppressions" element={<Suppressions />} />
          <Route path="/track/figures" element={<Figures />} />
          <Route path="/track/subscriptions" element={<Subscriptions />} />
          <Route path="/track/subscriptions/:id" element={<SubscriptionPage />} />
          <Route path="/track/live" element={<Live />} />
          <Route path="/track/alerts" element={<Alerts />} />
          <Route path="/track/quarantine" element={<Navigate to="/set-up/quarantine" replace />} />
          <Route path="/set-up" element={<Navigate to={operator ? '/set-up/domains' : '/set-up/senders'} replace />} />
          <Route path="/set-up/domains" element={<Domains />} />
          <Route path="/set-up/domains/:name" element={<Domain />} />
          <Route path="/set-up/senders" element={<Senders />} />
          <Route path="/set-up/topics" element={<Topics />} />
          <Route path="/set-up/keys" element={<Keys />} />
          <Route path="/set-up/providers" element={<Providers />} />
          <Route path="/set-up/quarantine" element={<Quarantine />} />
          <Route path="/set-up/people" element={<People />} />
          <Route path="/set-up/spaces" element={<Spaces />} />
          <Route path="/set-up/backups" element={<Backups />} />
          <Route path="/set-up/cluster" element={<Cluster />} />
          <Route path="/set-up/configuration" element={<Configuration />} />
          <Route path="/set-up/audit" element={<Audit />} />
          <Route path="/set-up/health" element={<Health />} />
          <Route path="/" element={<Navigate to={home} replace />} />
          <Route path="/sign-in" element={<Navigate to={home} replace />} />
          <Route path="*" element={<Missing home={home} />} />
        </Route>
      </Routes>
    </RouterProvider>
  );
}

/** What the service gives is kept for one space at a time. @param onSignedOut when something was refused because the session has ended */
function queriesOf(onSignedOut: () => void): QueryClient {
  const onError = (error: unknown): void => {
    if (error instanceof RefusedError && error.problem.status === 401) onSignedOut();
  };
  return new QueryClient({
    queryCache: new QueryCache({ onError }),
    mutationCache: new MutationCache({ onError }),
    defaultOptions: { queries: { retry: false } },
  });
}

/** Who is signed in decides what is shown: the pages of the space that the address names, or the way in. */
export function App() {
  const { space: named, enter } = usePlace();
  // Undefined while it is asked for, null where nobody is signed in.
  const [view, setView] = useState<SessionView | null>();
  const [hasEnded, setHasEnded] = useState(false);

  useEffect(() => {
    consoleClient(undefined)
      .session.get()
      .then(setView, () => setView(null));
  }, []);

  const folder = view?.folder;
  const home = folder === undefined ? '/track' : '/write';
  const spaces = view?.spaces;
  const fallback = spaces === undefined ? undefined : rememberedSpace(spaces);
  const space = spaces?.find(({ name }) => name === (folder === undefined ? named : name));
  const queries = useMemo(() => (space === undefined ? undefined : queriesOf(() => setHasEnded(true))), [space?.name]);

  // An address without a space is one of the space that was looked at last.
  useEffect(() => {
    if (folder !== undefined || named !== undefined || fallback === undefined) return;
    const { pathname, search, hash } = window.location;
    const path = pathname === '/' || pathname === '/sign-in' ? home : `${pathname}${search}${hash}`;
    enter(fallback.name, path, 'replace');
  }, [folder, named, fallback?.name]);
  useEffect(() => {
    if (space !== undefined && folder === undefined) rememberSpace(space.name);
  }, [space?.name]);

  const session = useMemo<Session | undefined>(() => {
    if (view === null || view === undefined || space === undefined) return undefined;
    return {
      client: consoleClient(space.name),
      spaces: view.spaces,
      space,
      folder,
      person: view.person,
      operator: view.operator === true,
      choose: (name) => {
        // What has an id in one space has none in another: the same step, from its start.
        const step = withoutSpace(window.location.pathname).split('/').slice(0, 2).join('/');
        enter(name, step === '/' ? home : step, 'push');
      },
      leave: () => {
        void consoleClient(undefined)
          .session.signOut()
          .then(() => setView(null));
      },
    };
  }, [view, space]);

  const signedInAgain = useCallback(
    (next: SessionView) => {
      setHasEnded(false);
      setView(next);
      void queries?.invalidateQueries();
    },
    [queries],
  );

  if (view === undefined) return null;
  if (view === null) return <SignIn onSignedIn={setView} />;
  if (view.spaces.length === 0 || (named !== undefined && space === undefined))
    return <MissingSpace name={named} spaces={view.spaces} onChoose={(name) => enter(name, home, 'push')} />;
  if (session === undefined || queries === undefined) return null;
  return (
    <QueryClientProvider client={queries}>
      <SessionContext value={session}>
        <BrowserRouter key={session.space.name} basename={folder === undefined ? baseOf(session.space.name) : '/'}>
          <Pages home={home} />
        </BrowserRouter>
        {hasEnded && <SignedOut onSignedIn={signedInAgain} />}
      </SessionContext>
    </QueryClientProvider>
  );
}
