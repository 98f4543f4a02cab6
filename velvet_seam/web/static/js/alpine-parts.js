// The few pieces of page state that Alpine keeps. Classic script: it must run before Alpine starts.
document.addEventListener("alpine:init", () => {
  window.Alpine.data("startShot", () => ({
    free: false,
    pick(event) {
      this.free = event.target.value === "free";
    },
  }));
});
