//! Files in what speaks S3: a small one of our own, on a socket.

use crate::common::PATIENCE;
use actix_web::web::{Bytes, Data, Path, PayloadConfig, Query};
use actix_web::{App, HttpRequest, HttpResponse, HttpServer, web};
use futures_util::TryStreamExt;
use std::collections::{BTreeMap, HashMap};
use std::io::{Seek, Write};
use std::net::TcpListener;
use std::sync::{Arc, Mutex};
use zickzack_server::jobs::{Results, Unread};

/// What lies in a bucket, and parts of what is being put there.
#[derive(Default)]
struct Bucket {
    objects: BTreeMap<String, Vec<u8>>,
    parts: BTreeMap<u32, Vec<u8>>,
    /// Says that nobody may.
    shut: bool,
}

type Shared = Arc<Mutex<Bucket>>;

fn xml(text: String) -> HttpResponse {
    HttpResponse::Ok().content_type("application/xml").body(text)
}

async fn answer(
    bucket: Data<Shared>,
    request: HttpRequest,
    path: Path<String>,
    query: Query<HashMap<String, String>>,
    body: Bytes,
) -> HttpResponse {
    let mut bucket = bucket.lock().unwrap();
    if bucket.shut || !request.headers().contains_key("authorization") {
        return HttpResponse::Forbidden().body("<Error><Code>AccessDenied</Code></Error>");
    }
    let key = path.trim_start_matches("bucket").trim_start_matches('/').to_owned();
    let part = query.get("partNumber").map(|number| number.parse::<u32>().unwrap());
    match (request.method().as_str(), part) {
        ("PUT", Some(part)) => {
            bucket.parts.insert(part, body.to_vec());
            HttpResponse::Ok().insert_header(("etag", format!("\"{part}\""))).finish()
        }
        ("PUT", None) => {
            bucket.objects.insert(key, body.to_vec());
            HttpResponse::Ok().insert_header(("etag", "\"whole\"")).finish()
        }
        ("POST", _) if query.contains_key("uploads") => {
            xml("<InitiateMultipartUploadResult><UploadId>one</UploadId></InitiateMultipartUploadResult>".to_owned())
        }
        ("POST", _) if query.contains_key("uploadId") => {
            let whole = std::mem::take(&mut bucket.parts).into_values().flatten().collect();
            bucket.objects.insert(key, whole);
            xml("<CompleteMultipartUploadResult><ETag>whole</ETag></CompleteMultipartUploadResult>".to_owned())
        }
        ("POST", _) if query.contains_key("delete") => {
            let text = String::from_utf8(body.to_vec()).unwrap();
            let gone: Vec<String> =
                text.split("<Key>").skip(1).map(|rest| rest.split("</Key>").next().unwrap().to_owned()).collect();
            let told: String = gone.iter().map(|key| format!("<Deleted><Key>{key}</Key></Deleted>")).collect();
            gone.iter().for_each(|key| drop(bucket.objects.remove(key)));
            xml(format!("<DeleteResult>{told}</DeleteResult>"))
        }
        ("GET", _) if query.contains_key("list-type") => {
            let row = |(key, content): (&String, &Vec<u8>)| {
                let size = content.len();
                format!(
                    "<Contents><Key>{key}</Key><LastModified>2020-01-01T00:00:00.000Z</LastModified><ETag>whole</ETag><Size>{size}</Size></Contents>"
                )
            };
            let rows: String = bucket.objects.iter().map(row).collect();
            xml(format!("<ListBucketResult><IsTruncated>false</IsTruncated>{rows}</ListBucketResult>"))
        }
        ("GET", _) => match bucket.objects.get(&key) {
            Some(content) => HttpResponse::Ok()
                .insert_header(("etag", "whole"))
                .insert_header(("last-modified", "Wed, 01 Jan 2020 00:00:00 GMT"))
                .body(content.clone()),
            None => HttpResponse::NotFound().body("<Error><Code>NoSuchKey</Code></Error>"),
        },
        ("DELETE", _) => {
            bucket.objects.remove(&key);
            HttpResponse::NoContent().finish()
        }
        other => panic!("{other:?} {request:?}"),
    }
}

/// A store in what speaks S3, and what lies there.
fn opened() -> (Results, Shared) {
    let listener = TcpListener::bind("127.0.0.1:0").unwrap();
    let port = listener.local_addr().unwrap().port();
    let bucket = Shared::default();
    let own = bucket.clone();
    let server = HttpServer::new(move || {
        App::new().app_data(Data::new(own.clone())).app_data(PayloadConfig::new(64 << 20)).default_service(web::to(
            |request: HttpRequest, bucket, query, body| {
                let path = Path::from(request.path().trim_start_matches('/').to_owned());
                answer(bucket, request, path, query, body)
            },
        ))
    });
    actix_web::rt::spawn(server.workers(1).listen(listener).unwrap().run());
    let environment = [
        ("AWS_ACCESS_KEY_ID", "me".to_owned()),
        ("AWS_SECRET_ACCESS_KEY", "secret".to_owned()),
        ("AWS_REGION", "somewhere".to_owned()),
        ("AWS_ENDPOINT_URL", format!("http://127.0.0.1:{port}")),
        ("AWS_ALLOW_HTTP", "true".to_owned()),
        ("PATH", "of no interest".to_owned()),
    ];
    let environment = environment.into_iter().map(|(name, value)| (name.to_owned(), value));
    (Results::open("s3://bucket/of/fair", u64::MAX, environment).unwrap(), bucket)
}

fn file(content: &[u8]) -> std::fs::File {
    let mut file = tempfile::tempfile().unwrap();
    file.write_all(content).unwrap();
    file.rewind().unwrap();
    file
}

#[actix_web::test]
async fn files_small_and_large_lie_there_under_their_prefix_and_come_back_whole() {
    let (results, bucket) = opened();
    // The second is sent in parts.
    let contents = [b"few".to_vec(), (0..20_000_000_u32).map(|i| (i / 7) as u8).collect::<Vec<u8>>()];
    for (key, content) in ["few", "many"].into_iter().zip(&contents) {
        tokio::time::timeout(PATIENCE, results.put(key, file(content))).await.unwrap().unwrap();
        let (bytes, stream) = results.get(key).await.unwrap();
        let back: Vec<Bytes> = stream.try_collect().await.unwrap();
        assert!(bytes == content.len() as u64 && back.concat() == *content, "{key}");
    }
    let there = || bucket.lock().unwrap().objects.keys().cloned().collect::<Vec<_>>();
    assert_eq!(there(), ["of/fair/few", "of/fair/many"]);
    let mut old = results.old().await.unwrap();
    old.sort();
    assert_eq!(old, ["few", "many"]);
    results.remove("few").await;
    results.remove("few").await;
    assert_eq!(there(), ["of/fair/many"]);
    assert!(matches!(results.get("few").await.err(), Some(Unread::Gone)));
}

#[actix_web::test]
async fn a_store_that_lets_nobody_in_says_so_and_has_nothing() {
    let (results, bucket) = opened();
    bucket.lock().unwrap().shut = true;
    let told = results.put("few", file(b"few")).await.unwrap_err();
    assert!(!told.is_empty() && bucket.lock().unwrap().objects.is_empty(), "{told}");
    assert!(matches!(results.get("few").await.err(), Some(Unread::Trouble(_))));
    results.remove("few").await;
}
