package client_test

import (
	"context"
	"fmt"
	"log"
	"os"

	"grotta/api"
	"grotta/client"
	"grotta/core/level"
	"grotta/e2e/harness"
)

// A program signs in, makes a level, changes a light, bakes, and asks a point who
// lights it.
func Example() {
	dir, err := os.MkdirTemp("", "grotta-example-")
	if err != nil {
		log.Fatal(err)
	}
	defer os.RemoveAll(dir)
	service, err := harness.Start(dir) // a service on loopback, with the user maren
	if err != nil {
		log.Fatal(err)
	}
	defer service.Stop()
	ctx := context.Background()

	c := &client.Client{URL: service.URL}
	token, err := c.SignIn(ctx, "maren", harness.Password, api.NewToken{Name: "example"})
	if err != nil {
		log.Fatal(err)
	}
	c.Token = token.Secret
	cabin, err := c.CreateLevel(ctx, api.NewLevel{From: "room", Name: "Cabin"})
	if err != nil {
		log.Fatal(err)
	}
	rev, err := c.Apply(ctx, cabin.ID, level.Set("lamp", map[string]any{"strength": 80}), cabin.Revision)
	if err != nil {
		log.Fatal(err)
	}
	fmt.Println("revision", rev.Number, rev.Label)
	bake, err := harness.BakeAndWait(ctx, c, cabin.ID, "draft")
	if err != nil {
		log.Fatal(err)
	}
	fmt.Println("bake", bake.State)
	book, err := c.Ledger(ctx, cabin.ID, "0,0,0", "0,1,0")
	if err != nil {
		log.Fatal(err)
	}
	fmt.Println("most light from", book.Sources[0].ID)
	// Output:
	// revision 2 lamp: strength = 80
	// bake done
	// most light from lamp
}
