<template>
  <main class="missing">
    <h1>There is no page here</h1>
    <p>
      The address may be mistyped. Everything that is known stands in the
      <RouterLink to="/catalog">catalog</RouterLink>.
    </p>
  </main>
</template>

<style scoped>
.missing {
  padding: 40px;
}
h1 {
  font-size: 20px;
}
</style>
