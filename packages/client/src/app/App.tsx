import { MutationCache, QueryCache, QueryClient, QueryClientProvider } from '@tanstack/react-query';
import { App as AntApp, ConfigProvider } from 'antd';
import { useEffect, type ReactNode } from 'react';
import { createBrowserRouter, Navigate, RouterProvider } from 'react-router';
import { ApiError } from '../api/request';
import { useSession } from '../api/session';
import { AssemblePanel } from '../features/assemble/AssemblePanel';
import { DeliverPanel } from '../features/deliver/DeliverPanel';
import { EncodingsPage } from '../features/encodings/EncodingsPage';
import { MatchPanel } from '../features/match/MatchPanel';
import { MotionPanel } from '../features/motion/MotionPanel';
import { PassesPanel } from '../features/passes/PassesPanel';
import { PeoplePage } from '../features/people/PeoplePage';
import { SignInPage } from '../features/people/SignInPage';
import { QueuePage } from '../features/queue/QueuePage';
import { ShotPage } from '../features/shot/ShotPage';
import { ShotsPage } from '../features/shots/ShotsPage';
import { ShutterPanel } from '../features/shutter/ShutterPanel';
import { BrokenPage } from '../ui/BrokenPage';
import { LostPage } from '../ui/LostPage';
import { themeFor } from './theme';
import { useAppearance } from '../ui/appearance';

/** A session that is over brings the sign-in page back. */
const onError = (error: Error) => {
  if (error instanceof ApiError && error.status === 401) void queryClient.invalidateQueries({ queryKey: ['session'] });
};

const queryClient: QueryClient = new QueryClient({
  queryCache: new QueryCache({ onError }),
  mutationCache: new MutationCache({ onError }),
  defaultOptions: {
    // A sentence from the server will not change by asking again; a server that is gone may come back.
    queries: { retry: (count, error) => !(error instanceof ApiError && error.status !== 0) && count < 3, staleTime: 2000 },
  },
});

/** A panel that breaks leaves the picture beside it. */
const panel = (path: string, element: ReactNode) => ({ path, element, errorElement: <BrokenPage /> });

const router = createBrowserRouter([
  {
    errorElement: <BrokenPage />,
    children: [
      { path: '/', element: <ShotsPage /> },
      {
        path: '/shots/:shotId',
        element: <ShotPage />,
        children: [
          { index: true, element: <Navigate to="passes" replace /> },
          panel('passes', <PassesPanel />),
          panel('motion', <MotionPanel />),
          panel('shutter', <ShutterPanel />),
          panel('match', <MatchPanel />),
          panel('assemble', <AssemblePanel />),
          panel('deliver', <DeliverPanel />),
        ],
      },
      { path: '/encodings', element: <EncodingsPage /> },
      { path: '/queue', element: <QueuePage /> },
      { path: '/people', element: <PeoplePage /> },
      { path: '*', element: <LostPage /> },
    ],
  },
]);

/** Where people sign in, nothing is shown before. A server that does not answer is told of by the pages themselves. */
function Door() {
  const { data, isPending } = useSession();
  if (isPending) return null;
  if (data?.required && data.person === null) return <SignInPage />;
  return <RouterProvider router={router} useTransitions={false} />;
}

export function App() {
  const appearance = useAppearance((s) => s.appearance);
  useEffect(() => {
    document.documentElement.dataset.appearance = appearance;
  }, [appearance]);
  return (
    <ConfigProvider theme={themeFor(appearance)}>
      <AntApp component={false}>
        <QueryClientProvider client={queryClient}>
          <Door />
        </QueryClientProvider>
      </AntApp>
    </ConfigProvider>
  );
}
