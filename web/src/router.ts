import { createRouter, createWebHistory } from 'vue-router'

export const router = createRouter({
  history: createWebHistory(),
  routes: [
    { path: '/', name: 'sessions', component: () => import('./views/sessions/SessionsView.vue') },
    {
      path: '/sessions/:session',
      component: () => import('./frame/SessionFrame.vue'),
      children: [
        { path: '', redirect: (to) => ({ name: 'check', params: to.params, query: to.query }) },
        { path: 'recordings', name: 'recordings', component: () => import('./views/recordings/RecordingsView.vue') },
        { path: 'check', name: 'check', component: () => import('./views/check/CheckView.vue') },
        { path: 'align', name: 'align', component: () => import('./views/align/AlignView.vue') },
        { path: 'stereo', name: 'stereo', component: () => import('./views/stereo/StereoView.vue') },
        { path: 'latency', name: 'latency', component: () => import('./views/latency/LatencyView.vue') },
        { path: 'prints', name: 'prints', component: () => import('./views/prints/PrintsView.vue') },
        { path: 'rendered', name: 'rendered', component: () => import('./views/notes/NotesView.vue') },
        { path: 'clocks', name: 'clocks', component: () => import('./views/clocks/ClocksView.vue') },
        { path: 'tempo', name: 'tempo', component: () => import('./views/tempo/TempoView.vue') },
        { path: 'timing', name: 'timing', component: () => import('./views/timing/TimingView.vue') },
        { path: 'layer', name: 'layer', component: () => import('./views/timing/layer/LayerView.vue') },
        { path: 'takes', name: 'takes', component: () => import('./views/timing/takes/TakesView.vue') },
        { path: 'doubles', name: 'doubles', component: () => import('./views/timing/doubles/DoublesView.vue') },
        { path: 'pitch', name: 'pitch', component: () => import('./views/timing/pitch/PitchView.vue') },
        { path: 'wide', name: 'wide', component: () => import('./views/timing/wide/WideView.vue') },
        { path: 'comp', name: 'comp', component: () => import('./views/timing/comp/CompView.vue') },
        { path: 'passages', name: 'passages', component: () => import('./views/timing/passages/PassagesView.vue') },
        { path: 'noises', name: 'noises', component: () => import('./views/timing/noises/NoisesView.vue') },
        { path: 'deliver', name: 'deliver', component: () => import('./views/deliver/DeliverView.vue') },
      ],
    },
    { path: '/:rest(.*)*', name: 'nowhere', component: () => import('./views/sessions/NowhereView.vue') },
  ],
})

// A session's own views name themselves once its name is known.
router.afterEach((to) => {
  if (to.params.session === undefined) document.title = to.name === 'sessions' ? 'Sessions – Marea' : 'Nothing here – Marea'
})
