// Quotes, holds and verifies with a client that oapi-codegen made of the API's description: client.gen.go, which is not
// kept. It prints what the shop said.
package main

import (
	"context"
	"fmt"
	"net/http"
	"os"
)

func main() {
	if err := run(context.Background(), os.Args[1], os.Args[2]); err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
}

func run(ctx context.Context, url, key string) error {
	authorized := func(_ context.Context, r *http.Request) error {
		r.Header.Set("Authorization", "Bearer "+key)
		return nil
	}
	c, err := NewClientWithResponses(url, WithRequestEditorFn(authorized))
	if err != nil {
		return err
	}
	postcode, sku, hold, checkout := "21100", "TOWEL-70", "PT5M", true
	request := QuoteRequest{
		To:       Address{Country: "FI", Postcode: &postcode},
		Lines:    &[]Line{{Sku: &sku, Quantity: 2}},
		Hold:     &hold,
		Checkout: &checkout,
	}
	quoted, err := c.QuoteWithResponse(ctx, nil, request)
	if err != nil {
		return err
	}
	if quoted.JSON200 == nil {
		return fmt.Errorf("%s: %s", quoted.Status(), quoted.Body)
	}
	for _, o := range quoted.JSON200.Options {
		fmt.Println(o.Method, o.Kind == "delivery", o.Total, quoted.JSON200.Currency)
	}
	o := quoted.JSON200.Options[0]
	verdict, err := c.VerifyQuoteWithResponse(ctx, nil, QuoteClaim{
		Token: quoted.JSON200.Quote.Token, Request: request, Method: o.Method, Total: o.Total,
	})
	if err != nil {
		return err
	}
	if verdict.JSON200 == nil {
		return fmt.Errorf("%s: %s", verdict.Status(), verdict.Body)
	}
	fmt.Println("held", verdict.JSON200.Valid)
	nowhere := QuoteRequest{To: Address{Country: "XX"}}
	batch, err := c.QuoteBatchWithResponse(ctx, nil, QuoteBatch{request, nowhere})
	if err != nil {
		return err
	}
	for _, item := range *batch.JSON207 {
		if item.Problem != nil {
			fmt.Println(item.Status, (*item.Problem.Faults)[0].Code == "place", (*item.Problem.Faults)[0].Path)
			continue
		}
		fmt.Println(item.Status, len(item.Answer.Options) > 0)
	}
	return nil
}
