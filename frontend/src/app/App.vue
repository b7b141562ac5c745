<script setup lang="ts">
import FindBox from '@/features/find/FindBox.vue'
import { useTheme } from '@/shared/composables/useTheme'

const { dark, toggle } = useTheme()
const places = [
  { name: 'overview', label: 'Overview' },
  { name: 'catalog', label: 'Catalog' },
  { name: 'lineage', label: 'Lineage' },
  { name: 'change', label: 'Change' },
  { name: 'runs', label: 'Runs' },
  { name: 'sources', label: 'Sources' },
]
</script>

<template>
  <div class="app">
    <nav aria-label="Main">
      <RouterLink to="/overview" class="home" aria-label="Jalan, overview">
        <svg viewBox="0 0 28 28" aria-hidden="true">
          <path d="M3 25 11 3h6l8 22z" fill="var(--sign)" />
          <path d="M14 6v4M14 13v4M14 20v4" stroke="var(--paper)" stroke-width="2" />
        </svg>
      </RouterLink>
      <RouterLink
        v-for="place in places"
        :key="place.name"
        :to="{ name: place.name }"
        class="place"
        :class="{ on: $route.meta.place === place.name || $route.name === place.name }"
        :aria-current="$route.name === place.name ? 'page' : undefined"
      >
        {{ place.label }}
      </RouterLink>
      <button class="theme" :aria-label="dark ? 'Light theme' : 'Dark theme'" @click="toggle">
        {{ dark ? 'light' : 'dark' }}
      </button>
    </nav>
    <div class="page">
      <header>
        <FindBox />
        <div id="page-title" class="title"></div>
      </header>
      <RouterView />
    </div>
  </div>
</template>

<style scoped>
.app {
  display: grid;
  grid-template-columns: 68px minmax(0, 1fr);
  height: 100%;
}
nav {
  display: flex;
  flex-direction: column;
  border-right: 1px solid var(--hair);
  padding: 10px 0;
  font-size: 12px;
}
.home {
  align-self: center;
  margin-bottom: 14px;
}
.home svg {
  width: 28px;
  height: 28px;
  display: block;
}
.place {
  color: var(--mute);
  text-align: center;
  padding: 8px 0 6px;
  border-left: 3px solid transparent;
}
.place.on {
  color: var(--ink);
  font-weight: 600;
  border-left-color: var(--sign);
}
.theme {
  margin-top: auto;
  color: var(--mute);
  text-align: center;
  padding: 8px 0;
}
.page {
  display: grid;
  grid-template-rows: 48px minmax(0, 1fr);
  min-width: 0;
  height: 100vh;
}
header {
  display: flex;
  align-items: center;
  gap: 18px;
  padding: 0 20px;
  border-bottom: 1px solid var(--hair);
  min-width: 0;
}
.title {
  flex: 1;
  min-width: 0;
}
</style>
