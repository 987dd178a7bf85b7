<template>
  <h1>Page not found</h1>
  <p><RouterLink to="/">Go to home</RouterLink></p>
</template>
