import type { SpaceView } from '@verbalis/client';
import { QueryClient, QueryClientProvider } from '@tanstack/react-query';
import { lazy, Suspense, useEffect, useMemo, useState } from 'react';
import { RouterProvider } from 'react-aria-components';
import { Navigate, Route, Routes, useHref, useNavigate } from 'react-router';
import { Frame } from './parts/frame.js';
import { Missing } from './parts/missing.js';
import { Message } from './messages/message.js';
import { Messages } from './messages/messages.js';
import { SignIn } from './keys/sign-in.js';
import { InboundEmail } from './inbound/email.js';
import { Inbound } from './inbound/inbound.js';
import { Return } from './returns/return.js';
import { Returns } from './returns/returns.js';
import { Send } from './queue/send.js';
import { Domain } from './domains/domain.js';
import { Domains } from './domains/domains.js';
import { BulkSends } from './bulk-sends/bulk-sends.js';
import { BulkSendPage } from './bulk-sends/bulk-send.js';
import { Schedules } from './schedules/schedules.js';
import { SchedulePage } from './schedules/schedule.js';
import { Senders } from './senders/senders.js';
import { SignalPage } from './signals/signal.js';
import { Signals } from './signals/signals.js';
import { Topics } from './consent/topics.js';
import { Keys } from './parts/set-up.js';
import { Alerts } from './alerts/alerts.js';
import { Quarantine } from './quarantine/quarantine.js';
import { Figures } from './figures/figures.js';
import { Live } from './events/live.js';
import { SubscriptionPage } from './webhooks/subscription-page.js';
import { Subscriptions } from './webhooks/subscriptions.js';
import { Captured } from './capture/captured.js';
import { CapturedList } from './capture/captured-list.js';
import { Search } from './search/search.js';
import { Templates } from './workbench/templates.js';
import { Suppressions } from './suppressions/suppressions.js';
import { consoleClient, rememberedSpace, rememberSpace, SessionContext, type Session } from './session.js';

// The editor is most of the console's weight and belongs to these pages only.
const Template = lazy(async () => ({ default: (await import('./workbench/template.js')).Template }));
const Editions = lazy(async () => ({ default: (await import('./editions/editions.js')).Editions }));

/** Who is signed in decides what is shown: the pages, or the way in. */
export function App() {
  const navigate = useNavigate();
  const [spaces, setSpaces] = useState<readonly SpaceView[] | null>();
  const [folder, setFolder] = useState<string>();
  const [chosen, setChosen] = useState<string>();
  const queries = useMemo(() => new QueryClient({ defaultOptions: { queries: { retry: false } } }), []);

  useEffect(() => {
    consoleClient(undefined)
      .session.get()
      .then(
        (found) => {
          setFolder(found.folder);
          setSpaces(found.spaces);
        },
        () => setSpaces(null),
      );
  }, []);

  const space = spaces?.find(({ name }) => name === chosen) ?? rememberedSpace(spaces ?? []);
  const session = useMemo<Session | undefined>(
    () =>
      spaces === null || spaces === undefined || space === undefined
        ? undefined
        : {
            client: consoleClient(space.name),
            spaces,
            space,
            folder,
            choose: (name) => {
              rememberSpace(name);
              setChosen(name);
            },
            leave: () => {
              void consoleClient(undefined)
                .session.signOut()
                .then(() => setSpaces(null));
            },
          },
    [spaces, space, folder],
  );

  const home = folder === undefined ? '/track' : '/write';
  if (spaces === undefined) return null;
  if (session === undefined) return <SignIn onSignedIn={setSpaces} />;
  return (
    <RouterProvider navigate={(to) => void navigate(to)} useHref={useHref}>
      <QueryClientProvider client={queries}>
        <SessionContext value={session}>
          <Suspense fallback={null}>
            <Routes>
              <Route element={<Frame />}>
                <Route path="/write" element={<Templates />} />
                <Route path="/write/templates/:name" element={<Template />} />
                <Route path="/write/editions" element={<Editions />} />
                <Route path="/try" element={<CapturedList />} />
                <Route path="/try/:id" element={<Captured />} />
                <Route path="/search" element={<Search />} />
                <Route path="/send" element={<Send />} />
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
                <Route path="/track/quarantine" element={<Quarantine />} />
                <Route path="/set-up" element={<Navigate to="/set-up/domains" replace />} />
                <Route path="/set-up/domains" element={<Domains />} />
                <Route path="/set-up/domains/:name" element={<Domain />} />
                <Route path="/set-up/senders" element={<Senders />} />
                <Route path="/set-up/topics" element={<Topics />} />
                <Route path="/set-up/keys" element={<Keys />} />
                <Route path="/" element={<Navigate to={home} replace />} />
                <Route path="/sign-in" element={<Navigate to={home} replace />} />
                <Route path="*" element={<Missing home={home} />} />
              </Route>
            </Routes>
          </Suspense>
        </SessionContext>
      </QueryClientProvider>
    </RouterProvider>
  );
}
