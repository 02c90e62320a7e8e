// On every page: what the harbour office wants people to know today.
(function () {
  var line = document.querySelector('[data-notice]');
  fetch('/data/notices.json')
    .then(function (answer) { return answer.json(); })
    .then(function (data) {
      line.textContent = data.notices.join(' ');
      line.hidden = !line.textContent;
    })
    .catch(function () { line.hidden = true; });
})();
