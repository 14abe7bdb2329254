// Prints the issues that the public glTF validator finds in a file, as JSON.
const fs = require("fs");
const path = require("path");
const validator = require(path.join(__dirname, "..", "target", "gltf-validator", "node_modules", "gltf-validator"));

validator
  .validateBytes(new Uint8Array(fs.readFileSync(process.argv[2])))
  .then((report) => console.log(JSON.stringify(report.issues)))
  .catch((error) => {
    console.error(String(error));
    process.exit(1);
  });
