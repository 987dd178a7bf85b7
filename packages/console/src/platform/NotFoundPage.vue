<template>
  <h1>There is no such page</h1>
  <p><RouterLink to="/">Back to the start</RouterLink></p>
</template>
