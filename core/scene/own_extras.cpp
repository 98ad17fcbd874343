#include "scene/own_extras.h"

namespace flentro {

bool hasForeignExtras(const Json& holder) {
    return holder.is_object() && holder.contains("extras") && !holder["extras"].is_object();
}

const Json& ownExtras(const Json& holder) {
    return jsonObject(jsonObject(holder, "extras"), "flentro");
}

Json* ownExtrasIn(Json& holder) {
    return hasForeignExtras(holder) ? nullptr : &objectAt(objectAt(holder, "extras"), "flentro");
}

}  // namespace flentro
