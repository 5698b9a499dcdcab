import { QueryClientProvider } from '@tanstack/react-query';
import { Tooltip } from 'radix-ui';
import { StrictMode } from 'react';
import { createRoot } from 'react-dom/client';
import { BrowserRouter } from 'react-router';
import { Asking } from './api/asking';
import './app.css';
import { App } from './shell/App';
import { ImportProvider } from './shell/importing';
import { NoticeProvider } from './shell/notices';
import { applyTheme } from './shell/theme';

applyTheme();

const client = new Asking();

const root = document.getElementById('root');
if (root) {
  createRoot(root).render(
    <StrictMode>
      <QueryClientProvider client={client}>
        <BrowserRouter>
          <Tooltip.Provider delayDuration={350}>
            <NoticeProvider>
              <ImportProvider>
                <App />
              </ImportProvider>
            </NoticeProvider>
          </Tooltip.Provider>
        </BrowserRouter>
      </QueryClientProvider>
    </StrictMode>,
  );
}
