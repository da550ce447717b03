import '@fontsource-variable/bricolage-grotesque/wght.css'
import '@fontsource-variable/literata/wght.css'
import '@fontsource-variable/literata/wght-italic.css'
import '@fontsource-variable/spline-sans-mono/wght.css'
import '@mantine/core/styles.css'
import '@mantine/notifications/styles.css'
import './app/look.css'
import { MantineProvider } from '@mantine/core'
import { Notifications } from '@mantine/notifications'
import { QueryClient, QueryClientProvider } from '@tanstack/react-query'
import { setNonce } from 'get-nonce'
import { createRoot } from 'react-dom/client'
import { RouterProvider } from 'react-router'
import { isAway } from './api/client'
import { router } from './app/routes'
import { theme } from './app/theme'

const nonce = document.querySelector<HTMLMetaElement>('meta[name="csp-nonce"]')?.content ?? ''
setNonce(nonce)

const queries = new QueryClient({
  defaultOptions: {
    queries: {
      // The server may be on this machine, or in this house: whether there is an internet does not matter.
      networkMode: 'always',
      staleTime: 2_000,
      // What the server refuses stays refused; what it could not answer is asked again.
      retry: (count, error) => count < 2 && isAway(error),
    },
    mutations: { networkMode: 'always' },
  },
})

createRoot(document.getElementById('root')!).render(
  <MantineProvider theme={theme} defaultColorScheme="auto" getStyleNonce={() => nonce}>
    <QueryClientProvider client={queries}>
      <Notifications position="top-center" limit={3} autoClose={5000} />
      <RouterProvider router={router} />
    </QueryClientProvider>
  </MantineProvider>,
)
