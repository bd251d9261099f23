import { defineConfig } from 'vite'
import vue from '@vitejs/plugin-vue'
import Components from 'unplugin-vue-components/vite'
import { ElementPlusResolver } from 'unplugin-vue-components/resolvers'

export default defineConfig({
  plugins: [
    vue(),
    // Styles come from one file in main.ts, so that ours follow them.
    Components({ resolvers: [ElementPlusResolver({ importStyle: false })], dts: 'src/components.d.ts', dirs: [] }),
  ],
  build: { target: 'es2022', chunkSizeWarningLimit: 1500 },
  server: { proxy: { '/api': { target: 'http://127.0.0.1:8642', ws: true } } },
  test: {
    environment: 'happy-dom',
    projects: [
      // One environment for all files: making one a file took ten times as long as the tests.
      { extends: true, test: { name: 'together', isolate: false, include: ['src/**/*.test.ts'], exclude: ['src/**/*.apart.test.ts'] } },
      // But for those that put something else in a module's place, which another file may have loaded before.
      { extends: true, test: { name: 'apart', include: ['src/**/*.apart.test.ts'] } },
    ],
  },
} as Parameters<typeof defineConfig>[0])
