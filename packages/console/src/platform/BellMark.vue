<template>
  <svg viewBox="0 0 24 24" aria-hidden="true">
    <path
      d="M12 3c-3.6 0-5.4 2.6-5.4 6.2 0 3.9-1.2 5.6-2.6 7.3h16c-1.4-1.7-2.6-3.4-2.6-7.3C17.4 5.6 15.6 3 12 3Z"
      fill="var(--sea)"
    />
    <circle cx="12" cy="19.6" r="1.9" fill="var(--brass)" />
  </svg>
</template>
