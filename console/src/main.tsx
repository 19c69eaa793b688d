import '@fontsource-variable/atkinson-hyperlegible-next'
import { createRoot } from 'react-dom/client'
import { App } from './app'
import './theme/tokens.css'

createRoot(document.getElementById('root')!).render(<App />)
