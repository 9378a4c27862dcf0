use crate::Shop;
use actix_web::{HttpResponse, get, web};
use zickzack_core::schema::Schema;

/// All node types, from which the interface is drawn.
#[utoipa::path(operation_id = "node_types", responses((status = 200, body = Vec<Schema>)))]
#[get("/api/nodes")]
pub async fn list(shop: web::Data<Shop>) -> HttpResponse {
    HttpResponse::Ok().json(&shop.registry.schemas)
}
