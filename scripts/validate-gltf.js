// node scripts/validate-gltf.js FILE: prints the validator's errors; exit status 1 if any.
const fs = require('fs');
const path = require('path');
const validator = require('gltf-validator');

const file = process.argv[2];
const options = {
    maxIssues: 50,
    externalResourceFunction: (uri) => fs.promises.readFile(
        path.resolve(path.dirname(file), decodeURIComponent(uri))),
};
validator.validateBytes(new Uint8Array(fs.readFileSync(file)), options).then((report) => {
    const errors = report.issues.messages.filter((message) => message.severity === 0);
    for (const error of errors) console.log(`${error.code} ${error.pointer}: ${error.message}`);
    console.log(`${report.issues.numErrors} errors, ${report.issues.numWarnings} warnings`);
    process.exit(report.issues.numErrors === 0 ? 0 : 1);
});
