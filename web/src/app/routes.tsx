import { createBrowserRouter, Navigate } from 'react-router'
import { Failed, Loading } from './messages'

/** Rooms load by themselves, when they are first entered. */
export const router = createBrowserRouter([
  {
    path: '/',
    HydrateFallback: Loading,
    errorElement: <Failed said="This page has a fault. Your work is stored; reload the page to go on." />,
    children: [
      { index: true, lazy: () => import('../rooms/productions/Productions') },
      {
        path: 'productions/:id',
        lazy: () => import('./Shell'),
        children: [
          { index: true, element: <Navigate to="booth" replace /> },
          { path: 'picture', lazy: () => import('../rooms/picture/PictureRoom') },
          { path: 'script', lazy: () => import('../rooms/script/ScriptRoom') },
          { path: 'booth', lazy: () => import('../rooms/booth/BoothRoom') },
          { path: 'takes', lazy: () => import('../rooms/takes/TakesRoom') },
          { path: 'polish', lazy: () => import('../rooms/polish/PolishRoom') },
          { path: 'handover', lazy: () => import('../rooms/handover/HandoverRoom') },
        ],
      },
      { path: 'productions/:id/second-screen', lazy: () => import('../rooms/booth/SecondScreen') },
      { path: 'productions/:id/print', lazy: () => import('../rooms/script/Print') },
      { path: '*', element: <Failed said="There is nothing at this address." /> },
    ],
  },
])
