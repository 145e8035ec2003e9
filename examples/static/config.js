// Where Diadrom answers, and a key for pages that names the site which serves this folder: both are yours to fill in.
window.shop = { diadrom: "http://127.0.0.1:8080", key: "diadrom_pub_…" };
