document.body.textContent = 'soon';
