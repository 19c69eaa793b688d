import '@fontsource-variable/atkinson-hyperlegible-next'
import { createRoot } from 'react-dom/client'
import { beReadyOffline } from './api/offline'
import { App } from './app'
import './theme/tokens.css'

beReadyOffline()
createRoot(document.getElementById('root')!).render(<App />)
