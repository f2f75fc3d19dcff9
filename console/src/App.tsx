import { QueryClient, QueryClientProvider } from '@tanstack/react-query';
import { Button, ConfigProvider } from 'antd';
import { type ComponentType, useEffect, useLayoutEffect, useState } from 'react';
import { createBrowserRouter, Navigate, NavLink, Route, RouterProvider, Routes, useLocation } from 'react-router';
import { nobody, ProblemError, sessions } from './api/client';
import { useMe } from './api/people';
import { Fault } from './parts/Fault';
import { Mark } from './parts/Glyph';
import { KeyBox } from './parts/KeyBox';
import { Leaving } from './parts/useUnsaved';
import { Activity } from './pages/Activity';
import { CrosswalkPage } from './pages/Crosswalk';
import { Exceptions } from './pages/Exceptions';
import { TrendPage } from './pages/Trend';
import { Enter } from './pages/Enter';
import { NearMatches } from './pages/Near';
import { Report } from './pages/Report';
import { Reports } from './pages/Reports';
import { SetPage } from './pages/SetPage';
import { Sets } from './pages/Sets';
import { RunRows } from './pages/RunRows';
import { Stack } from './pages/Stack';
import { Settings } from './pages/Settings';
import { Shared } from './pages/Shared';
import { SignIn, SignInAgain } from './pages/SignIn';
import { Sieves } from './pages/Sieves';
import { Trace } from './pages/Trace';
import { Workbench } from './pages/Workbench';
import { UnsentChanges } from './report/Unsent';
import { antTheme, initialMode, paint, remember, type Mode } from './theme';

const queries = new QueryClient({
  defaultOptions: {
    queries: { retry: (times, error) => times < 2 && !(error instanceof ProblemError), staleTime: 2000 },
  },
});

const pages = [
  ['/sets', 'Record sets'],
  ['/sieves', 'Sieves'],
  ['/reports', 'Reports'],
  ['/exceptions', 'All exceptions'],
  ['/activity', 'Activity'],
  ['/settings', 'Settings'],
] as const;

// A router of this kind lets a page ask before it is left.
const router = createBrowserRouter([{ path: '*', Component: All }]);

export function App() {
  return (
    <QueryClientProvider client={queries}>
      <RouterProvider router={router} />
    </QueryClientProvider>
  );
}

function All() {
  const [mode, setMode] = useState<Mode>(initialMode);
  useLayoutEffect(() => paint(mode), [mode]);
  return (
    <ConfigProvider theme={antTheme(mode)} wave={{ disabled: true }} renderEmpty={() => ' '}>
      <Routes>
        <Route path="/enter/:code" element={<Enter />} />
        <Route path="/shared/:code" element={<Shared />} />
        <Route
          path="*"
          element={
            <Inside
              mode={mode}
              setMode={(to) => {
                setMode(to);
                remember(to);
              }}
            />
          }
        />
      </Routes>
    </ConfigProvider>
  );
}

/** A page of one report, set or sieve. What is typed and chosen on it belongs to that one: another begins with nothing. */
function Of({ page: Page }: { page: ComponentType }) {
  return <Page key={useLocation().pathname} />;
}

/** That a session has ended shows in any answer; then it is asked who is there. */
function useSession() {
  useEffect(() => {
    const ended = () => {
      const me = queries.getQueryState(['me']);
      if (me?.fetchStatus !== 'fetching' && !nobody(me?.error)) void queries.invalidateQueries({ queryKey: ['me'] });
    };
    sessions.addEventListener('ended', ended);
    return () => sessions.removeEventListener('ended', ended);
  }, []);
  return useMe();
}

/**
 * All pages for who is signed in; for others, the way in. Where a session ends, who was signed in does so again over the page, which stays
 * as it is.
 */
function Inside({ mode, setMode }: { mode: Mode; setMode: (to: Mode) => void }) {
  const me = useSession();
  const other: Mode = mode === 'light' ? 'dark' : 'light';
  const ended = nobody(me.error);
  if (ended && !me.data) return <SignIn />;
  if (!me.data) return <Fault error={me.error} />;
  return (
    <>
      <a className="skip" href="#main">
        Skip to the page
      </a>
      <aside className="rail">
        <div className="brand">
          <Mark />
          <span>
            Twin
            <br />
            Sieve
          </span>
        </div>
        <KeyBox />
        <nav aria-label="Pages">
          {pages.map(([to, name]) => (
            <NavLink key={to} to={to}>
              {name}
            </NavLink>
          ))}
        </nav>
        <div className="foot">
          <div className="who" title={`${me.data.fullName}, ${me.data.role}`}>
            {me.data.name}
          </div>
          <Button size="small" type="text" onClick={() => setMode(other)}>
            {other === 'dark' ? 'Dark' : 'Light'} colours
          </Button>
        </div>
      </aside>
      {ended && <SignInAgain name={me.data.name} />}
      <Leaving />
      <main id="main" key={me.data.name}>
        <UnsentChanges by={me.data.name} />
        <Routes>
          <Route path="/" element={<Navigate to="/reports" replace />} />
          <Route path="/sets" element={<Sets />} />
          <Route path="/sets/:name" element={<Of page={SetPage} />} />
          <Route path="/stack" element={<Stack />} />
          <Route path="/sieves" element={<Sieves />} />
          <Route path="/sieves/new" element={<Workbench />} />
          <Route path="/sieves/of/:name" element={<Workbench />} />
          <Route path="/sieves/of/:name/crosswalk" element={<Of page={CrosswalkPage} />} />
          <Route path="/trace" element={<Trace />} />
          <Route path="/reports/:run/rows" element={<Of page={RunRows} />} />
          <Route path="/reports/:run/near" element={<Of page={NearMatches} />} />
          <Route path="/reports" element={<Reports />} />
          <Route path="/reports/:run" element={<Of page={Report} />} />
          <Route path="/activity" element={<Activity />} />
          <Route path="/exceptions" element={<Exceptions />} />
          <Route path="/sieves/of/:name/trend" element={<Of page={TrendPage} />} />
          <Route path="/settings" element={<Settings />} />
          <Route path="*" element={<p className="empty">There is no such page. Choose one on the left.</p>} />
        </Routes>
      </main>
    </>
  );
}
