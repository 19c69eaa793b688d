import '@fontsource-variable/atkinson-hyperlegible-next'
import { createRoot } from 'react-dom/client'
import { hearKept } from './api/client'
import { beReadyOffline, tellKept } from './api/kept'
import { App } from './app'
import './theme/tokens.css'

hearKept(tellKept)
beReadyOffline()
createRoot(document.getElementById('root')!).render(<App />)
