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
  // One environment for all files: making one a file took ten times as long as the tests.
  test: { environment: 'happy-dom', isolate: false, include: ['src/**/*.test.ts'] },
} as Parameters<typeof defineConfig>[0])
