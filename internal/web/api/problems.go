package api

import (
	"embed"
	"html/template"
	"net/http"

	"github.com/gin-gonic/gin"
)

// Types of problems. One is added, never renamed or given another status within a version of the API.
var (
	BadRequest = &Problem{"bad_request", 400, "A header or a query parameter is not understood",
		"The detail names it. What it may be is in the description of the API."}
	Malformed = &Problem{"malformed", 400, "The request is not of the form that the API takes",
		"Each fault has the JSON Pointer of what is wrong: a type, a number, a name that the API does not" +
			" know, or what is missing."}
	BrokenOff = &Problem{"broken_off", 400, "The request broke off",
		"Less came than its headers said, or its gzip is damaged. Send it again."}
	NoKey = &Problem{"no_key", 401, "Nobody knows who asks",
		"Send a key of the shop in the header Authorization: Bearer. Its owner makes one under People."}
	KeyRefused = &Problem{"key_refused", 401, "The key is not one of this shop",
		"It was revoked, it has ended, or it is not complete. Its owner makes another under People."}
	WrongSite = &Problem{"wrong_site", 403, "This key is for pages of other sites",
		"A key for pages works from the sites that it names. Its owner sees them under People, and makes " +
			"a key for another site there."}
	KeyForServers = &Problem{"key_for_servers", 403, "A key for servers came from a page",
		"Everybody can read it there: revoke it under People at once, and make a key for pages."}
	ServersOnly = &Problem{"servers_only", 403, "Only the shop's server may ask this",
		"Whoever looks at a page can change what it asks. Ask from the server of the shop, with a key for" +
			" servers."}
	NoRight = &Problem{"no_right", 403, "This key was made without that right",
		"The detail says which right. The owner makes a key that has it under People."}
	PeopleOnly = &Problem{"people_only", 403, "Only people of the shop may ask this",
		"Sign in, or ask of what is live."}
	OtherSite = &Problem{"other_site", 403, "A page of another site asked with a person's session",
		"A page of another site sends a key for pages. A session is for the screens of this program " +
			"alone."}
	SecretMoves = &Problem{"secret_moves", 403, "A carrier's secret would go to another address",
		"Change the address of the carrier on its page, where its secret is entered again."}
	NotFound = &Problem{"not_found", 404, "There is nothing at this address",
		"The description at /api/v1/openapi.yaml lists what there is. A slash in the sku of a product is " +
			"written %2F."}
	NoProduct = &Problem{"no_product", 404, "The store has no such product",
		"It was removed, or its sku is spelt otherwise."}
	NoCountry = &Problem{"no_country", 404, "There is no such country",
		"Countries are those of ISO 3166-1, such as FI or FIN."}
	NoEdition = &Problem{"no_edition", 404, "There is no such edition",
		"GET /api/v1/editions lists them."}
	WrongMethod = &Problem{"method_not_allowed", 405, "This address does not take that method",
		"The header Allow says which it takes."}
	UnderWay = &Problem{"under_way", 409, "The same request is being answered",
		"Wait for as long as Retry-After says, and send it again: you get the answer of the first."}
	DraftChanged = &Problem{"draft_changed", 409, "The draft was changed meanwhile",
		"Read what is different now, and publish again."}
	LiveChanged = &Problem{"live_changed", 409, "Another edition was published meanwhile",
		"Read what is different now, and publish again."}
	NoChange = &Problem{"no_change", 409, "There is nothing to publish",
		"The draft is what is live already."}
	EditionGone = &Problem{"edition_gone", 410, "That edition is not quoted from any more",
		"Ask without the header Diadrom-Edition, and show the buyer what has changed."}
	NotAsRead = &Problem{"not_as_read", 412, "It has changed since you read it",
		"Read it again, and make your change to what it is now."}
	TooLarge = &Problem{"too_large", 413, "The request or its answer is too large",
		"The detail says how large it may be. Send it in parts."}
	WrongType = &Problem{"unsupported_type", 415, "The body is not of a type that this address takes",
		"Send JSON as application/json, packed with gzip or not at all; lists of products as " +
			"application/x-ndjson."}
	WrongHost = &Problem{"wrong_host", 421, "This server does not answer under that name",
		"Ask at the address that the shop's owner gave you."}
	Invalid = &Problem{"invalid", 422, "The request asks for what cannot be",
		"Each fault has the JSON Pointer of what is wrong, and a code."}
	Breaks = &Problem{"inconsistent", 422, "The change would break the shop's data",
		"Nothing was changed. Each fault says what refers to what is missing or does not fit."}
	OtherBefore = &Problem{"idempotency_key_used", 422, "This Idempotency-Key was used for another request",
		"Make another key for each request. A key is remembered for a day."}
	TooMany = &Problem{"too_many_requests", 429, "Too much is asked",
		"Wait for as long as Retry-After says. RateLimit and RateLimit-Policy say how much there is."}
	Internal = &Problem{"internal", 500, "Something went wrong in the server",
		"Its log says what, under the X-Request-Id of the answer."}
	Busy = &Problem{"busy", 503, "The server has too much to do",
		"Wait for as long as Retry-After says, and ask again."}
	NotLive = &Problem{"not_live", 503, "Nothing is live yet",
		"The shop is being set up: its owner publishes the first edition."}
	NotHereYet = &Problem{"edition_not_here", 503, "That edition has not come to this node yet",
		"Ask again, or ask another node."}
	NotOnNodes = &Problem{"not_on_nodes", 404, "A node does not answer this",
		"Ask the server of the shop itself."}
	DiskFull = &Problem{"disk_full", 507, "The server's disk is full",
		"Nothing was changed. Whoever runs the server makes room."}
)

// Problems are all types of problems, by their status.
var Problems = []*Problem{
	BadRequest, Malformed, BrokenOff, NoKey, KeyRefused, WrongSite, KeyForServers, ServersOnly, NoRight,
	PeopleOnly, OtherSite, SecretMoves, NotFound, NoProduct, NoCountry, NoEdition, WrongMethod,
	UnderWay, DraftChanged, LiveChanged, NoChange, EditionGone, NotAsRead, TooLarge, WrongType,
	WrongHost, Invalid, Breaks, OtherBefore, TooMany, Internal, Busy, NotLive, NotHereYet, NotOnNodes,
	DiskFull,
}

const problemsPath = "/problems"

//go:embed problems.html
var problemFiles embed.FS

var problemPage = template.Must(template.ParseFS(problemFiles, "problems.html"))

// ProblemPages registers the pages that explain problems, for whoever follows the type of one.
func ProblemPages(r gin.IRouter) {
	show := func(c *gin.Context, status int, list []*Problem) {
		c.Header("Content-Security-Policy", "default-src 'none'; style-src 'unsafe-inline'; frame-ancestors 'none'")
		c.Header("Cache-Control", "no-cache")
		c.Status(status)
		c.Header("Content-Type", "text/html; charset=utf-8")
		if err := problemPage.Execute(c.Writer, list); err != nil {
			_ = c.Error(err)
		}
	}
	all := func(c *gin.Context) { show(c, http.StatusOK, Problems) }
	one := func(c *gin.Context) {
		for _, p := range Problems {
			if p.Code == c.Param("code") {
				show(c, http.StatusOK, []*Problem{p})
				return
			}
		}
		show(c, http.StatusNotFound, nil)
	}
	r.GET(problemsPath, all)
	r.HEAD(problemsPath, all)
	r.GET(problemsPath+"/:code", one)
	r.HEAD(problemsPath+"/:code", one)
}
