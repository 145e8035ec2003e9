package web

import (
	"bytes"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"regexp"
	"strconv"
	"strings"
	"sync"
	"testing"

	"diadrom/internal/core/store"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// key makes a key for a server with rights, as an owner does.
func (s *site) key(rights ...string) string {
	s.t.Helper()
	form := []string{"name", "Stock of " + strings.Join(rights, " "), "kind", "server"}
	for _, r := range rights {
		form = append(form, "right", r)
	}
	values := url.Values{}
	for i := 0; i < len(form); i += 2 {
		values.Add(form[i], form[i+1])
	}
	resp, err := s.client.PostForm(s.URL+"/keys", values)
	require.NoError(s.t, err)
	defer resp.Body.Close()
	body, err := io.ReadAll(resp.Body)
	require.NoError(s.t, err)
	key := regexp.MustCompile(`diadrom_[A-Z2-7]{26}`).FindString(string(body))
	require.NotEmpty(s.t, key, string(body))
	return key
}

// call sends a request of a program; more are headers.
func (s *site) call(method, path, key, body string, more ...string) (*http.Response, string) {
	s.t.Helper()
	req, err := http.NewRequest(method, s.URL+path, strings.NewReader(body))
	require.NoError(s.t, err)
	if body != "" {
		req.Header.Set("Content-Type", "application/json")
	}
	if key != "" {
		req.Header.Set("Authorization", "Bearer "+key)
	}
	for i := 0; i < len(more); i += 2 {
		req.Header.Set(more[i], more[i+1])
	}
	resp, err := http.DefaultClient.Do(req)
	require.NoError(s.t, err)
	defer resp.Body.Close()
	answer, err := io.ReadAll(resp.Body)
	require.NoError(s.t, err)
	return resp, string(answer)
}

func TestProductsFollowTheShop(t *testing.T) {
	s := lauha(t)
	key := s.key("products")
	path := "/api/v1/products/"
	resp, body := s.call("GET", path+"TOWEL-70", key, "")
	require.Equal(t, 200, resp.StatusCode, body)
	tag := resp.Header.Get("ETag")
	assert.Regexp(t, `^"[0-9a-f]{16}"$`, tag)
	var towel map[string]any
	require.NoError(t, json.Unmarshal([]byte(body), &towel))
	resp, _ = s.call("GET", path+"TOWEL-70", key, "", "If-None-Match", tag)
	assert.Equal(t, 304, resp.StatusCode)

	// Put whole: what is not said has its default.
	resp, body = s.call("PUT", path+"TOWEL-70", key, `{"name":"Towel","price":"31.00","weight":"0.5"}`, "If-Match", tag)
	require.Equal(t, 200, resp.StatusCode, body)
	assert.Equal(t, "31", s.draft.State().File.Product("TOWEL-70").Price.String())
	assert.NotEqual(t, tag, resp.Header.Get("ETag"))
	assert.Contains(t, body, `"sku":"TOWEL-70","name":"Towel","price":"31"`)
	assert.Equal(t, "29", s.draft.Live().File.Product("TOWEL-70").Price.String(), "buyers notice nothing")
	resp, _ = s.call("PUT", path+"TOWEL-70", key, `{"price":"1"}`, "If-Match", tag)
	assert.Equal(t, http.StatusPreconditionFailed, resp.StatusCode, "it is another by now")
	resp, _ = s.call("PUT", path+"TOWEL-70", key, `{"price":"1"}`, "If-None-Match", "*")
	assert.Equal(t, http.StatusPreconditionFailed, resp.StatusCode, "it is there")
	resp, body = s.call("PUT", path+url.PathEscape("NEW/1 ä"), key, `{"price":"5.00"}`, "If-None-Match", "*")
	assert.Equal(t, http.StatusCreated, resp.StatusCode, body)
	assert.NotNil(t, s.draft.State().File.Product("NEW/1 ä"))
	resp, _ = s.call("DELETE", path+url.PathEscape("NEW/1 ä"), key, "")
	assert.Equal(t, http.StatusNoContent, resp.StatusCode)
	resp, _ = s.call("DELETE", path+url.PathEscape("NEW/1 ä"), key, "")
	assert.Equal(t, http.StatusNotFound, resp.StatusCode)
	assert.Nil(t, s.draft.State().File.Product("NEW/1 ä"))

	for body, want := range map[string]string{`{"price":"1","sku":"OTHER"}`: "/sku range", `{"price":"x"}`: "/price number",
		`{"colour":"red"}`: "/colour unknown_field", `null`: " type", `{"price":"1","class":"no-such"}`: "/class reference",
		`{"from":"nowhere"}`: "/from reference", `[`: " syntax"} {
		resp, answer := s.call("PUT", path+"TOWEL-70", key, body)
		assert.Contains(t, []int{400, 422}, resp.StatusCode, body)
		var p struct{ Faults []struct{ Path, Code string } }
		require.NoError(t, json.Unmarshal([]byte(answer), &p), answer)
		assert.Equal(t, want, p.Faults[0].Path+" "+p.Faults[0].Code, body)
	}
	assert.Equal(t, "31", s.draft.State().File.Product("TOWEL-70").Price.String())

	// Bulk: fields that are given are changed, and a line that is faulty keeps no other from being made.
	resp, body = s.call("PATCH", "/api/v1/products", key, `{"sku":"TOWEL-70","price":"32.00"}
{"sku":"NO-1","price":"nothing"}

{"sku":"STONE-20","removed":true}
{"sku":"NEW-1","name":"New","price":"1","class":"no-such"}
{"sku":"NEW-2","name":"New","price":"1.00"}
`, "Content-Type", "application/x-ndjson")
	require.Equal(t, http.StatusMultiStatus, resp.StatusCode, body)
	var fed struct {
		Created, Changed, Removed, Unchanged int
		Refused                              []struct {
			Line int
			SKU  string
		}
	}
	require.NoError(t, json.Unmarshal([]byte(body), &fed))
	assert.Equal(t, []int{1, 1, 1, 0}, []int{fed.Created, fed.Changed, fed.Removed, fed.Unchanged})
	require.Len(t, fed.Refused, 2)
	assert.Equal(
		t,
		"NO-1 2, NEW-1 5",
		fmt.Sprintf("%s %d, %s %d", fed.Refused[0].SKU, fed.Refused[0].Line, fed.Refused[1].SKU,
			fed.Refused[1].Line),
	)
	assert.Equal(t, "Towel", s.draft.State().File.Product("TOWEL-70").Name, "the name stays")
	_, list := s.call("GET", "/api/v1/products", key, "")
	assert.Equal(t, len(s.draft.State().File.Products), strings.Count(list, "\n"))
	resp, _ = s.call("PATCH", "/api/v1/products", key, `{}`)
	assert.Equal(t, 415, resp.StatusCode)

	// The edits are the key's.
	_, live := s.get("/live")
	holds(t, live, "the key Stock of products")
	resp, body = s.call("PUT", path+"TOWEL-70?into=live", key, `{"price":"1"}`)
	assert.Equal(t, 403, resp.StatusCode, body)
	resp, body = s.call("PUT", path+"TOWEL-70", s.key(), `{"price":"1"}`)
	assert.Equal(t, 403, resp.StatusCode, body)
}

// What is said of a product goes live without anything else that the draft has, and the edition says so.
func TestProductsGoLiveWithoutOtherEdits(t *testing.T) {
	s := lauha(t)
	key := s.key("products_live")
	s.post("/rates/parcel/list/cell", "zone", "finland", "at", "2", "was", "6.90", "text", "9.99")
	before := s.draft.Live().Number
	resp, body := s.call(
		"PUT",
		"/api/v1/products/TOWEL-70?into=live",
		key,
		`{"name":"Towel","price":"33.00","weight":"0.4"}`,
	)
	require.Equal(t, 200, resp.StatusCode, body)
	live := s.draft.Live()
	assert.Equal(t, before+1, live.Number)
	assert.Equal(t, fmt.Sprint(live.Number), resp.Header.Get("Diadrom-Edition"))
	assert.Equal(t, "33", live.File.Product("TOWEL-70").Price.String())
	assert.Equal(t, "33", s.draft.State().File.Product("TOWEL-70").Price.String())
	assert.Equal(
		t,
		"6.9",
		live.File.Method("parcel").Tables[0].Rows[0].Charges[0].Base.String(),
		"the price list waits",
	)
	assert.Len(t, s.draft.Ahead(), 1)
	_, page := s.get("/live")
	holds(t, page, "Products, by the key Stock of products_live: 1 change")
	_, people := s.get("/people")
	holds(t, people, "the key Stock of products_live", "published", fmt.Sprintf("edition %d, products", live.Number))

	// A class that only the draft has cannot go live yet; nothing is changed on either side.
	s.post("/goods/classes", "name", "Heavy")
	class := s.draft.State().File.Classes[len(s.draft.State().File.Classes)-1].ID
	resp, body = s.call("PUT", "/api/v1/products/TOWEL-70?into=live", key, `{"price":"1","class":"`+class+`"}`)
	assert.Equal(t, 422, resp.StatusCode, body)
	assert.Equal(t, "33", s.draft.State().File.Product("TOWEL-70").Price.String())

	// Forty at once make few editions.
	var all sync.WaitGroup
	for i := range 40 {
		all.Go(func() {
			resp, _ := s.call("PUT", fmt.Sprintf("/api/v1/products/P-%d?into=live", i), key, `{"price":"1"}`)
			assert.Equal(t, 201, resp.StatusCode)
		})
	}
	all.Wait()
	assert.LessOrEqual(t, s.draft.Live().Number, before+4)
	assert.NotNil(t, s.draft.Live().File.Product("P-39"))
	resp, _ = s.call("DELETE", "/api/v1/products/P-39?into=live", key, "")
	assert.Equal(t, 204, resp.StatusCode)
	assert.Nil(t, s.draft.Live().File.Product("P-39"))
}

// draft-ietf-httpapi-idempotency-key-header-07: the same request under the same key is answered as it was, another one
// under it is refused.
func TestWhatIsSentTwiceIsDoneOnce(t *testing.T) {
	s := lauha(t)
	key := s.key("products")
	change := `{"sku":"NEW-1","price":"5.00"}` + "\n"
	send := func(body, name string) (*http.Response, string) {
		return s.call(
			"PATCH",
			"/api/v1/products",
			key,
			body,
			"Content-Type",
			"application/x-ndjson",
			"Idempotency-Key",
			name,
		)
	}
	first, body := send(change, "a1")
	require.Equal(t, 200, first.StatusCode, body)
	assert.Contains(t, body, `"created":1`)
	revision := s.draft.State().Revision
	again, replayed := send(change, "a1")
	assert.Equal(t, 200, again.StatusCode)
	assert.Equal(t, body, replayed)
	assert.Equal(t, "true", again.Header.Get("Idempotency-Replayed"))
	assert.Equal(t, revision, s.draft.State().Revision)
	other, _ := send(`{"sku":"NEW-2","price":"5.00"}`, "a1")
	assert.Equal(t, 422, other.StatusCode)
	fresh, body := send(change, "a2")
	assert.Equal(t, 200, fresh.StatusCode)
	assert.Contains(t, body, `"unchanged":1`)
	mine := s.key("products")
	resp, body := s.call(
		"PATCH",
		"/api/v1/products",
		mine,
		change,
		"Content-Type",
		"application/x-ndjson",
		"Idempotency-Key",
		"a1",
	)
	assert.Equal(t, 200, resp.StatusCode)
	assert.Contains(t, body, `"unchanged":1`, "another key has names of its own")
}

// A set-up that lives in version control: out, changed, looked at, in, published.
func TestASetUpComesAndGoesByAPI(t *testing.T) {
	s := lauha(t)
	key := s.key("setup")
	resp, body := s.call("GET", "/api/v1/store", key, "")
	require.Equal(t, 200, resp.StatusCode)
	tag := resp.Header.Get("ETag")
	f, faults := store.Read([]byte(body))
	require.Empty(t, faults)
	f.Method("parcel").Label = "To your door"
	changed := string(f.Write())
	resp, body = s.call("PUT", "/api/v1/store?dry_run=true", key, changed)
	require.Equal(t, 200, resp.StatusCode, body)
	assert.Contains(t, body, "To your door")
	assert.Empty(t, s.draft.Ahead())
	resp, body = s.call("PUT", "/api/v1/store", key, changed, "If-Match", `"other"`)
	assert.Equal(t, 412, resp.StatusCode, body)
	resp, body = s.call("PUT", "/api/v1/store", key, changed, "If-Match", tag)
	require.Equal(t, 200, resp.StatusCode, body)
	assert.Len(t, s.draft.Ahead(), 1)
	var d struct {
		Changes  []string
		Revision int64
	}
	_, body = s.call("GET", "/api/v1/changes", key, "")
	require.NoError(t, json.Unmarshal([]byte(body), &d))
	require.Len(t, d.Changes, 1)
	resp, _ = s.call("GET", "/api/v1/review?of=draft", key, "")
	assert.Equal(t, 200, resp.StatusCode)
	resp, body = s.call(
		"POST",
		"/api/v1/editions",
		key,
		fmt.Sprintf(`{"note":"From version control","revision":%d}`, d.Revision-1),
	)
	assert.Equal(t, 409, resp.StatusCode, body)
	resp, body = s.call(
		"POST",
		"/api/v1/editions",
		key,
		fmt.Sprintf(`{"note":"From version control","revision":%d}`, d.Revision),
	)
	require.Equal(t, 201, resp.StatusCode, body)
	assert.Equal(t, "To your door", s.draft.Live().File.Method("parcel").Label)
	resp, _ = s.call("POST", "/api/v1/editions", key, `{}`)
	assert.Equal(t, 409, resp.StatusCode, "it is live already")
	_, body = s.call("GET", "/api/v1/editions", key, "")
	assert.Contains(t, body, `"note":"From version control"`)
	resp, body = s.call("GET", "/api/v1/store?of=1", key, "")
	assert.Equal(t, 200, resp.StatusCode)
	assert.True(t, bytes.Contains([]byte(body), []byte("Parcel to your door")))
	for path, want := range map[string]int{"/api/v1/store?of=99": 404, "/api/v1/store?of=x": 400, "/api/v1/changes?from=1&to=live": 200} {
		resp, _ := s.call("GET", path, key, "")
		assert.Equal(t, want, resp.StatusCode, path)
	}
	resp, body = s.call("PUT", "/api/v1/store", key, `{"format":"diadrom-store/1"}`)
	assert.Equal(t, 400, resp.StatusCode, body)
	resp, _ = s.call("GET", "/api/v1/store", s.key("products_live"), "")
	assert.Equal(t, 403, resp.StatusCode)
}

// A product with a slash in its sku lies where Location says, and an answer that is given again has its headers too.
func TestAProductLiesWhereItsLocationSays(t *testing.T) {
	s := lauha(t)
	key := s.key("products")
	put := func() *http.Response {
		resp, body := s.call("PUT", "/api/v1/products/A%2FB%20%C3%A4", key, `{"price":"5.00"}`, "Idempotency-Key", "loc")
		require.Equal(t, 201, resp.StatusCode, body)
		return resp
	}
	first, again := put(), put()
	assert.Equal(t, "true", again.Header.Get("Idempotency-Replayed"))
	for _, name := range []string{"Location", "Diadrom-Revision", "ETag"} {
		assert.NotEmpty(t, first.Header.Get(name), name)
		assert.Equal(t, first.Header.Get(name), again.Header.Get(name), name)
	}
	resp, body := s.call("GET", first.Header.Get("Location"), key, "")
	assert.Equal(t, 200, resp.StatusCode)
	assert.Contains(t, body, `"sku":"A/B ä"`)
}

// Some fields of one product are changed with a JSON merge patch (RFC 7396).
func TestOneProductIsPatched(t *testing.T) {
	s := lauha(t)
	key := s.key("products")
	const path = "/api/v1/products/TOWEL-70"
	patch := func(body string, more ...string) (*http.Response, string) {
		return s.call("PATCH", path, key, body, append([]string{"Content-Type", "application/merge-patch+json"}, more...)...)
	}
	_, was := s.call("GET", path, key, "")
	var before, after map[string]any
	require.NoError(t, json.Unmarshal([]byte(was), &before))
	resp, body := patch(`{"price":"31.00"}`)
	require.Equal(t, 200, resp.StatusCode, body)
	require.NoError(t, json.Unmarshal([]byte(body), &after))
	before["price"] = "31"
	assert.Equal(t, before, after, "what is not sent stays")
	tag := resp.Header.Get("ETag")
	assert.NotEmpty(t, resp.Header.Get("Diadrom-Revision"))
	// null takes a field back to its default, which a store file leaves out or writes as empty.
	resp, body = patch(`{"weight":null}`, "If-Match", tag)
	require.Equal(t, 200, resp.StatusCode, body)
	after = nil
	require.NoError(t, json.Unmarshal([]byte(body), &after))
	assert.Empty(t, after["weight"])
	resp, body = patch(`{"price":"32.00"}`, "If-Match", tag)
	assert.Equal(t, 412, resp.StatusCode)
	assert.Contains(t, body, `"code":"not_as_read"`)
	for request, want := range map[string]string{`{"prize":"1"}`: "/prize", `{"price":5}`: "/price", `[]`: `"faults"`, `null`: `"faults"`,
		`{"class":"no-such"}`: "no-such", `{"sku":"OTHER"}`: "/sku"} {
		resp, body = patch(request)
		assert.GreaterOrEqual(t, resp.StatusCode, 400, request)
		assert.Less(t, resp.StatusCode, 500, request)
		assert.Contains(t, body, want, request)
	}
	resp, body = s.call("PATCH", "/api/v1/products/NO-SUCH", key, `{"price":"1"}`, "Content-Type", "application/merge-patch+json")
	assert.Equal(t, 404, resp.StatusCode)
	assert.Contains(t, body, `"code":"no_product"`)
	resp, _ = s.call("PATCH", path, key, `{"price":"1"}`)
	assert.Equal(t, 415, resp.StatusCode)
	assert.Equal(t, "application/merge-patch+json", resp.Header.Get("Accept-Patch"))
	// Two that change other fields at the same moment both count.
	var both sync.WaitGroup
	for _, change := range []string{`{"price":"33.00"}`, `{"name":"Towel of linen"}`} {
		both.Go(func() {
			resp, body := patch(change)
			assert.Equal(t, 200, resp.StatusCode, body)
		})
	}
	both.Wait()
	_, body = s.call("GET", path, key, "")
	assert.Contains(t, body, `"price":"33"`)
	assert.Contains(t, body, `"name":"Towel of linen"`)
}

// Lists come in pages, each with the link to the next one (RFC 8288), and are not sent again to whoever has them.
func TestListsComeInPages(t *testing.T) {
	s := lauha(t)
	key := s.key("products", "setup")
	walk := func(path, each string) (lines []string) {
		t.Helper()
		for next := path + "?limit=3"; next != ""; {
			resp, body := s.call("GET", next, key, "")
			require.Equal(t, 200, resp.StatusCode, body)
			unchanged, _ := s.call("GET", next, key, "", "If-None-Match", resp.Header.Get("ETag"))
			assert.Equal(t, 304, unchanged.StatusCode)
			page := regexp.MustCompile(each).FindAllString(body, -1)
			assert.LessOrEqual(t, len(page), 3)
			lines = append(lines, page...)
			link := resp.Header.Get("Link")
			next = ""
			if link != "" {
				next = regexp.MustCompile(`^<([^>]+)>; rel="next"$`).FindStringSubmatch(link)[1]
			}
		}
		return lines
	}
	_, body := s.call("GET", "/api/v1/products", key, "")
	all := regexp.MustCompile(`"sku":"[^"]+"`).FindAllString(body, -1)
	require.Greater(t, len(all), 6)
	assert.Equal(t, all, walk("/api/v1/products", `"sku":"[^"]+"`))
	for i := range 7 {
		resp, body := s.call("PUT", "/api/v1/products/TOWEL-70", s.key("products", "products_live"), `{"price":"`+strconv.Itoa(20+i)+`"}`)
		require.Equal(t, 200, resp.StatusCode, body)
		resp, body = s.call("POST", "/api/v1/editions", key, `{"note":"`+strconv.Itoa(i)+`"}`)
		require.Equal(t, 201, resp.StatusCode, body)
	}
	_, body = s.call("GET", "/api/v1/editions", key, "")
	all = regexp.MustCompile(`"edition":\d+`).FindAllString(body, -1)
	require.Greater(t, len(all), 6)
	assert.Equal(t, all, walk("/api/v1/editions", `"edition":\d+`))
	for _, wrong := range []string{"?limit=0", "?limit=x", "?limit=1001", "?limit=2&after=zz"} {
		for _, path := range []string{"/api/v1/products", "/api/v1/editions"} {
			resp, body := s.call("GET", path+wrong, key, "")
			assert.Equal(t, 400, resp.StatusCode, path+wrong)
			assert.Contains(t, body, `"code":"bad_request"`)
		}
	}
	resp, _ := s.call("GET", "/api/v1/address-forms", key, "")
	again, _ := s.call("GET", "/api/v1/address-forms", key, "", "If-None-Match", resp.Header.Get("ETag"))
	assert.Equal(t, 304, again.StatusCode)
	// The description is there as JSON too.
	var doc struct{ OpenAPI string }
	resp, body = s.call("GET", "/api/v1/openapi.json", "", "")
	assert.Equal(t, 200, resp.StatusCode)
	require.NoError(t, json.Unmarshal([]byte(body), &doc))
	assert.Equal(t, "3.1.0", doc.OpenAPI)
}
