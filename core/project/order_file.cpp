#include "project/order_file.h"

#include "io/file.h"

namespace flentro {

Expected<WorkOrder> loadWorkOrder(const std::filesystem::path& path) {
    auto text = readTextFile(path);
    if (!text) return tl::unexpected(text.error());
    const std::string where = path.filename().string();
    auto json = parseJson(*text, where);
    if (!json) return tl::unexpected(json.error());
    const bool isProject = jsonOr<std::string>(*json, "format", "") == "flentro-project";
    return parseWorkOrder(isProject ? jsonObject(*json, "workOrder") : *json, where);
}

Expected<void> saveWorkOrder(const WorkOrder& order, const std::filesystem::path& path) {
    return writeFileAtomic(
        path, toJson(order).dump(2, ' ', false, Json::error_handler_t::replace) + "\n");
}

}  // namespace flentro
