<template>
  <main class="view">
    <h1>There is nothing at this address</h1>
    <p><router-link to="/">All sessions</router-link></p>
  </main>
</template>
