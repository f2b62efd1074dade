<script setup lang="ts">
defineProps<{ sentence: string }>()
</script>

<template>
  <main class="page missing">
    <p>{{ sentence }}</p>
    <RouterLink to="/">Back to the shelf</RouterLink>
  </main>
</template>

<style scoped>
.missing {
  display: grid;
  gap: 12px;
  place-content: center;
  padding: 48px;
}
a {
  color: var(--text);
}
</style>
