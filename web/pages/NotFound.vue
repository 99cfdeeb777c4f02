<template>
  <section class="p-7">
    <h1>There is no such page</h1>
    <p class="note mt-2">The address may be mistyped or the thing it led to may be gone. <RouterLink class="link" to="/desk">Go to the desk</RouterLink></p>
  </section>
</template>
