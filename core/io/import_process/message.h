// What the import process tells besides the scene: in the extras of the document's asset.
//
// {"notes": [{"where", "what"}], "metres": length of one unit, where the file says it,
//  "files": that the import library opened}

#pragma once

namespace flentro {

constexpr const char* kImportMessage = "flentro-import";

}  // namespace flentro
