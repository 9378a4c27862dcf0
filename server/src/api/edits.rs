use super::Refusal;
use super::body::Json;
use crate::Shop;
use crate::live::{ToPage, Wish, is_name};
use actix_web::{HttpResponse, ResponseError, post, web};
use serde::Deserialize;
use utoipa::ToSchema;
use uuid::Uuid;
use zickzack_core::scene::Op;

/// An edit that is too large for the live connection.
#[derive(Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct LargeEdit {
    /// Who made it, as in `Hello`.
    client: String,
    sequence: i64,
    label: String,
    ops: Vec<Op>,
}

/// Keeps an edit, as the live connection does, and answers as it does; a page that sends what follows only after the
/// answer keeps its order.
#[utoipa::path(operation_id = "keep_edit", params(("id" = Uuid, Path)), request_body = LargeEdit, responses((status = 200, body = ToPage), (status = 413, body = Refusal), (status = 422, body = ToPage), (status = 503, body = ToPage)))]
#[post("/api/scenes/{id}/edits")]
pub async fn keep(shop: web::Data<Shop>, id: web::Path<Uuid>, body: Json<LargeEdit>) -> Result<HttpResponse, Refusal> {
    let LargeEdit { client, sequence, label, ops } = body.0;
    if !is_name(&client) {
        return Err(Refusal::bad("A page's name must have 1 to 64 bytes, none of them 0."));
    }
    let kept = async {
        let room = shop.hub.room(&shop, *id).await?;
        let known = room.act(&shop.clone().into_inner(), &client, sequence, Wish::Edit { label, ops }).await?;
        let answer = match known {
            Some(answer) => answer,
            None => room.kept(&shop, &client, sequence).await?,
        };
        Ok::<_, Refusal>(answer)
    };
    Ok(match kept.await {
        Ok(answer) => HttpResponse::Ok().json(answer),
        Err(refusal) => {
            let (message, later) = (refusal.message.clone(), refusal.waits());
            HttpResponse::build(refusal.status_code()).json(ToPage::Refused {
                sequence: Some(sequence),
                message,
                later,
            })
        }
    })
}
