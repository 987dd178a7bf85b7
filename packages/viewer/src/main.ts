document.body.textContent='x'
