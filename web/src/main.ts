import '@fontsource-variable/bricolage-grotesque/index.css';
import '@fontsource-variable/schibsted-grotesk/index.css';
import '@fontsource-variable/spline-sans-mono/index.css';
import './app.css';
import { mount } from 'svelte';
import App from './shell/App.svelte';

mount(App, { target: document.getElementById('app')! });
