'use strict';
// Templates with {{names}}, read from the folder beside this one.
const fs = require('fs');
const path = require('path');

exports.template = (name, values) =>
  fs
    .readFileSync(path.join(__dirname, '..', 'templates', name), 'utf8')
    .replace(/\{\{(\w+)\}\}/g, (whole, key) => values[key] ?? whole);
