#include "project/order_file.h"

#include "io/file.h"

namespace flentro {

namespace {

bool isProject(const Json& json) {
    return jsonOr<std::string>(json, "format", "") == "flentro-project";
}

}  // namespace

bool isProjectFile(const std::filesystem::path& path) {
    const auto text = readTextFile(path);
    const auto json = text ? parseJson(*text, "") : tl::unexpected(text.error());
    return json && isProject(*json);
}

Expected<WorkOrder> loadWorkOrder(const std::filesystem::path& path) {
    auto text = readTextFile(path);
    if (!text) return tl::unexpected(text.error());
    const std::string where = path.filename().string();
    auto json = parseJson(*text, where);
    if (!json) return tl::unexpected(json.error());
    return parseWorkOrder(isProject(*json) ? jsonObject(*json, "workOrder") : *json, where);
}

Expected<void> saveWorkOrder(const WorkOrder& order, const std::filesystem::path& path) {
    return writeFileAtomic(
        path, toJson(order).dump(2, ' ', false, Json::error_handler_t::replace) + "\n");
}

}  // namespace flentro
