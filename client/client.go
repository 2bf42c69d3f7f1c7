// Package client is the Go client of Grotta's API. Each call is one request;
// what the service refuses comes back as an *api.Problem.
package client

import (
	"bytes"
	"context"
	"encoding/binary"
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"strconv"
	"strings"

	"github.com/go-json-experiment/json"

	"grotta/api"
	"grotta/core/level"
	"grotta/core/platform"
)

// Client talks to one service as one user. Its fields may be set before use.
type Client struct {
	URL   string // such as http://127.0.0.1:8460
	Token string
	HTTP  *http.Client // nil for http.DefaultClient
}

// call is a request on its way.
type call struct {
	method, path string
	query        url.Values
	header       http.Header
	body         any // JSON, or []byte as it is
}

func (c *Client) do(ctx context.Context, k call, into any) (*http.Response, error) {
	res, err := c.send(ctx, k)
	if err != nil {
		return nil, err
	}
	defer res.Body.Close()
	switch v := into.(type) {
	case nil:
		_, err = io.Copy(io.Discard, res.Body)
	case *[]byte:
		*v, err = io.ReadAll(res.Body)
	default:
		if err = json.UnmarshalRead(res.Body, into); err != nil {
			err = fmt.Errorf("%s %s: the answer cannot be read: %w", k.method, k.path, err)
		}
	}
	return res, err
}

// send gives the response of a request that went well, its body unread.
func (c *Client) send(ctx context.Context, k call) (*http.Response, error) {
	var body io.Reader
	contentType := "application/json"
	switch v := k.body.(type) {
	case nil:
	case []byte:
		body, contentType = bytes.NewReader(v), "application/octet-stream"
	default:
		text, err := level.Encode(v)
		if err != nil {
			return nil, err
		}
		body = bytes.NewReader(text)
	}
	target := strings.TrimSuffix(c.URL, "/") + "/api/v1" + k.path
	if len(k.query) > 0 {
		target += "?" + k.query.Encode()
	}
	req, err := http.NewRequestWithContext(ctx, k.method, target, body)
	if err != nil {
		return nil, err
	}
	for name, values := range k.header {
		req.Header[name] = values
	}
	if body != nil {
		req.Header.Set("Content-Type", contentType)
	}
	if c.Token != "" {
		req.Header.Set("Authorization", "Bearer "+c.Token)
	}
	h := c.HTTP
	if h == nil {
		h = http.DefaultClient
	}
	res, err := h.Do(req)
	if err != nil {
		if of := (*url.Error)(nil); errors.As(err, &of) {
			err = of.Err // without the address, which is said already
		}
		return nil, fmt.Errorf("the service at %s does not answer: %w", c.URL, err)
	}
	if res.StatusCode >= 300 {
		defer res.Body.Close()
		return nil, problemOf(res)
	}
	return res, nil
}

func problemOf(res *http.Response) error {
	text, err := io.ReadAll(io.LimitReader(res.Body, 1<<20))
	var p api.Problem
	if err != nil || json.Unmarshal(text, &p) != nil || p.Status == 0 {
		return &api.Problem{Status: res.StatusCode, Title: res.Status, Code: "unknown", Detail: "the answer is not from a Grotta service"}
	}
	return &p
}

func get[T any](ctx context.Context, c *Client, path string, query url.Values) (T, error) {
	var out T
	_, err := c.do(ctx, call{method: http.MethodGet, path: path, query: query}, &out)
	return out, err
}

func post[T any](ctx context.Context, c *Client, path string, body any) (T, error) {
	var out T
	_, err := c.do(ctx, call{method: http.MethodPost, path: path, body: body}, &out)
	return out, err
}

type items[T any] struct {
	Items []T `json:"items"`
}

func getList[T any](ctx context.Context, c *Client, path string, query url.Values) ([]T, error) {
	out, err := get[items[T]](ctx, c, path, query)
	return out.Items, err
}

// SignIn makes a token from a name and a password, for a program that runs for a
// person: with the scopes that are asked for, or all that the person may have if none
// are. The session that it takes ends at once.
func (c *Client) SignIn(ctx context.Context, name, password string, token api.NewToken) (api.Token, error) {
	var session api.Session
	res, err := c.do(ctx, call{method: http.MethodPost, path: "/session", body: api.SignIn{Name: name, Password: password}}, &session)
	if err != nil {
		return api.Token{}, err
	}
	header := http.Header{"X-Grotta-Csrf": {session.CSRF}}
	for _, cookie := range res.Cookies() {
		header.Add("Cookie", cookie.Name+"="+cookie.Value)
	}
	if len(token.Scopes) == 0 {
		token.Scopes = session.Scopes
	}
	bare := &Client{URL: c.URL, HTTP: c.HTTP}
	var out api.Token
	if _, err := bare.do(ctx, call{method: http.MethodPost, path: "/tokens", header: header, body: token}, &out); err != nil {
		return api.Token{}, err
	}
	_, err = bare.do(ctx, call{method: http.MethodDelete, path: "/session", header: header}, nil)
	return out, err
}

// Session says who the token belongs to.
func (c *Client) Session(ctx context.Context) (api.Session, error) {
	return get[api.Session](ctx, c, "/session", nil)
}

// SignInLink makes a link that signs a browser in, once, and leads to a path of the console.
func (c *Client) SignInLink(ctx context.Context, to string) (string, error) {
	l, err := post[api.Link](ctx, c, "/session/link", api.NewLink{To: to})
	return strings.TrimSuffix(c.URL, "/") + l.Path, err
}

// Tokens lists the user's tokens.
func (c *Client) Tokens(ctx context.Context) ([]api.Token, error) {
	return getList[api.Token](ctx, c, "/tokens", nil)
}

// NewToken makes a token; its secret is in the answer and nowhere else.
func (c *Client) NewToken(ctx context.Context, t api.NewToken) (api.Token, error) {
	return post[api.Token](ctx, c, "/tokens", t)
}

// RevokeToken ends a token.
func (c *Client) RevokeToken(ctx context.Context, id string) error {
	_, err := c.do(ctx, call{method: http.MethodDelete, path: "/tokens/" + url.PathEscape(id)}, nil)
	return err
}

// Users lists the people of the service.
func (c *Client) Users(ctx context.Context) ([]api.User, error) {
	return getList[api.User](ctx, c, "/users", nil)
}

// CreateUser makes a person who can sign in; only an admin may.
func (c *Client) CreateUser(ctx context.Context, u api.NewUser) (api.User, error) {
	return post[api.User](ctx, c, "/users", u)
}

// ChangeUser says what a person may; only an admin may.
func (c *Client) ChangeUser(ctx context.Context, name string, u api.UserChange) error {
	_, err := c.do(ctx, call{method: http.MethodPatch, path: "/users/" + url.PathEscape(name), body: u}, nil)
	return err
}

// SetPassword sets one's own password, or, for an admin, that of somebody else.
func (c *Client) SetPassword(ctx context.Context, name string, p api.NewPassword) error {
	_, err := c.do(ctx, call{method: http.MethodPut, path: "/users/" + url.PathEscape(name) + "/password", body: p}, nil)
	return err
}

// RemoveUser removes a person; only an admin may. Their levels go to the heir, or are
// deleted where that is "".
func (c *Client) RemoveUser(ctx context.Context, name, heir string) error {
	q := query("levels", "delete")
	if heir != "" {
		q = query("levels", "give", "heir", heir)
	}
	_, err := c.do(ctx, call{method: http.MethodDelete, path: "/users/" + url.PathEscape(name), query: q}, nil)
	return err
}

// Levels lists the levels that the user may see.
func (c *Client) Levels(ctx context.Context) ([]api.LevelInfo, error) {
	return getList[api.LevelInfo](ctx, c, "/levels", nil)
}

// FindLevel resolves an id, or a name that only one level has.
func (c *Client) FindLevel(ctx context.Context, ref string) (api.LevelInfo, error) {
	levels, err := c.Levels(ctx)
	if err != nil {
		return api.LevelInfo{}, err
	}
	var named []api.LevelInfo
	var names []string
	for _, l := range levels {
		if l.ID == ref {
			return l, nil
		}
		if strings.EqualFold(l.Name, ref) {
			named = append(named, l)
		}
		names = append(names, strconv.Quote(l.Name))
	}
	switch len(named) {
	case 1:
		return named[0], nil
	case 0:
		return api.LevelInfo{}, &api.Problem{Status: 404, Title: "Not Found", Code: "not-found", Detail: fmt.Sprintf("no level is called %q; there are %s", ref, strings.Join(names, ", "))}
	}
	var ids []string
	for _, l := range named {
		ids = append(ids, l.ID)
	}
	return api.LevelInfo{}, &api.Problem{Status: 409, Title: "Conflict", Code: "ambiguous", Detail: fmt.Sprintf("%d levels are called %q; name one by its id: %s", len(named), ref, strings.Join(ids, ", "))}
}

// CreateLevel makes a level.
func (c *Client) CreateLevel(ctx context.Context, l api.NewLevel) (api.LevelInfo, error) {
	return post[api.LevelInfo](ctx, c, "/levels", l)
}

// ImportLevel brings in a level document or a glTF file.
func (c *Client) ImportLevel(ctx context.Context, data []byte, o api.ImportOptions) (api.Imported, error) {
	var out api.Imported
	_, err := c.do(ctx, call{method: http.MethodPost, path: "/levels/import", query: importQuery(o), body: data}, &out)
	return out, err
}

// ExportLevel hands a level back: format is "glb" or "json".
func (c *Client) ExportLevel(ctx context.Context, id, format string) ([]byte, error) {
	return getBytes(ctx, c, levelPath(id, "export"), query("format", format))
}

// ImportAgain takes a changed file into a level; dry only says what it would change.
func (c *Client) ImportAgain(ctx context.Context, id string, data []byte, o api.ImportOptions, dry bool) (api.Merged, error) {
	var out api.Merged
	o.Dry = dry
	q := importQuery(o)
	q.Del("name")
	_, err := c.do(ctx, call{method: http.MethodPost, path: levelPath(id, "import"), query: q, body: data}, &out)
	return out, err
}

func importQuery(o api.ImportOptions) url.Values {
	q := query("name", o.Name, "file", o.File, "main", o.Main, "rules", o.Rules, "up", o.Up, "forward", o.Forward, "handed", o.Handed, "platform", o.Platform, "scene", o.Scene)
	for name, v := range map[string]float64{"unit_m": o.UnitM, "scale": o.Scale, "terrain_m": o.TerrainM, "height_m": o.HeightM, "cells": float64(o.Cells)} {
		if v != 0 {
			q.Set(name, strconv.FormatFloat(v, 'f', -1, 64))
		}
	}
	if len(o.At) > 0 {
		numbers := make([]string, len(o.At))
		for i, v := range o.At {
			numbers[i] = strconv.FormatFloat(v, 'f', -1, 64)
		}
		q.Set("at", strings.Join(numbers, ","))
	}
	if o.Dry {
		q.Set("dry", "true")
	}
	return q
}

// ExportReport says what an export as glTF leaves out or changes.
func (c *Client) ExportReport(ctx context.Context, id string) (api.ExchangeReport, error) {
	return get[api.ExchangeReport](ctx, c, levelPath(id, "export/report"), nil)
}

// LightmapFiles hands out the baked light as an archive of pages, a model and a manifest.
func (c *Client) LightmapFiles(ctx context.Context, id string, o api.LightmapFiles) ([]byte, error) {
	q := query("pages", o.Pages, "encoding", o.Encoding)
	if o.RangeLux > 0 {
		q.Set("range_lux", strconv.FormatFloat(o.RangeLux, 'g', -1, 64))
	}
	if o.Layers {
		q.Set("layers", "true")
	}
	if o.Directions {
		q.Set("directions", "true")
	}
	return getBytes(ctx, c, levelPath(id, "lightmap/files"), q)
}

// Profile reads how a profile of a level shines.
func (c *Client) Profile(ctx context.Context, id, profile string) (api.LuminaireShape, error) {
	return get[api.LuminaireShape](ctx, c, levelPath(id, "profiles/"+url.PathEscape(profile)), nil)
}

// AddImportRules saves rules for what comes in as the newest version of a preset of the user's own.
func (c *Client) AddImportRules(ctx context.Context, file []byte) (api.PresetInfo, error) {
	return post[api.PresetInfo](ctx, c, "/import-rules", file)
}

// HandOvers lists the ways to write a level for another editor.
func (c *Client) HandOvers(ctx context.Context) ([]api.HandOver, error) {
	return getList[api.HandOver](ctx, c, "/hand-overs", nil)
}

// HandOverFile reads a hand-over file, by its name.
func (c *Client) HandOverFile(ctx context.Context, name string) ([]byte, error) {
	return getBytes(ctx, c, "/hand-overs/file", query("name", name))
}

// AddHandOver saves a hand-over file as the newest version of a preset of the user's own.
func (c *Client) AddHandOver(ctx context.Context, file []byte) (api.HandOver, error) {
	return post[api.HandOver](ctx, c, "/hand-overs", file)
}

// HandOver writes what lights a level as text of another editor.
func (c *Client) HandOver(ctx context.Context, id string, want api.NewHandOver) (api.HandedOver, error) {
	return post[api.HandedOver](ctx, c, levelPath(id, "hand-over"), want)
}

// HandBack takes text of another editor into a level; dry only says what it would change.
func (c *Client) HandBack(ctx context.Context, id, from string, text []byte, dry bool) (api.HandedBack, error) {
	var out api.HandedBack
	q := query("from", from)
	if dry {
		q.Set("dry", "true")
	}
	_, err := c.do(ctx, call{method: http.MethodPost, path: levelPath(id, "hand-back"), query: q, body: text}, &out)
	return out, err
}

func getBytes(ctx context.Context, c *Client, path string, q url.Values) ([]byte, error) {
	var data []byte
	_, err := c.do(ctx, call{method: http.MethodGet, path: path, query: q}, &data)
	return data, err
}

// Level reads a level's document.
func (c *Client) Level(ctx context.Context, id string) (api.Document, error) {
	return get[api.Document](ctx, c, levelPath(id, ""), nil)
}

// DeleteLevel deletes a level. RecoverLevel has it back for 30 days.
func (c *Client) DeleteLevel(ctx context.Context, id string) error {
	_, err := c.do(ctx, call{method: http.MethodDelete, path: levelPath(id, "")}, nil)
	return err
}

// RemovedLevels lists one's own levels that were deleted and can be had back.
func (c *Client) RemovedLevels(ctx context.Context) ([]api.LevelInfo, error) {
	return getList[api.LevelInfo](ctx, c, "/removed-levels", nil)
}

// RecoverLevel has a deleted level back.
func (c *Client) RecoverLevel(ctx context.Context, id string) error {
	_, err := c.do(ctx, call{method: http.MethodPost, path: "/removed-levels/" + url.PathEscape(id) + "/recover"}, nil)
	return err
}

// EraseLevel deletes a deleted level for good, with its history.
func (c *Client) EraseLevel(ctx context.Context, id string) error {
	_, err := c.do(ctx, call{method: http.MethodDelete, path: "/removed-levels/" + url.PathEscape(id)}, nil)
	return err
}

// CopyLevel makes a level of one's own from another. Without a name it is called as the other,
// with ", copy".
func (c *Client) CopyLevel(ctx context.Context, id string, want api.LevelCopy) (api.LevelInfo, error) {
	return post[api.LevelInfo](ctx, c, levelPath(id, "copy"), want)
}

// Apply makes a revision. base is the revision that the change is based on, or
// 0 for whatever is there.
func (c *Client) Apply(ctx context.Context, id string, op level.Operation, base int) (api.Revision, error) {
	k := call{method: http.MethodPost, path: levelPath(id, "operations"), body: op, header: http.Header{}}
	if base > 0 {
		k.header.Set("If-Match", strconv.Quote(strconv.Itoa(base)))
	}
	var out api.Revision
	_, err := c.do(ctx, k, &out)
	return out, err
}

// Undo takes back the newest change.
func (c *Client) Undo(ctx context.Context, id string) (api.Revision, error) {
	return post[api.Revision](ctx, c, levelPath(id, "undo"), nil)
}

// Redo does it again.
func (c *Client) Redo(ctx context.Context, id string) (api.Revision, error) {
	return post[api.Revision](ctx, c, levelPath(id, "redo"), nil)
}

// History lists revisions before a number, newest first; 0 starts at the head.
func (c *Client) History(ctx context.Context, id string, before, limit int) ([]api.Revision, error) {
	return getList[api.Revision](ctx, c, levelPath(id, "revisions"), query("before", strconv.Itoa(before), "limit", strconv.Itoa(limit)))
}

// Changes lists what differs between a level at a revision and now.
func (c *Client) Changes(ctx context.Context, id string, revision int) ([]level.Change, error) {
	return getList[level.Change](ctx, c, levelPath(id, "revisions/"+strconv.Itoa(revision)+"/changes"), nil)
}

// Restore makes a level, or some things of it, what it was at a revision. The outcome is a
// new revision.
func (c *Client) Restore(ctx context.Context, id string, r api.Restore) (api.Revision, error) {
	return post[api.Revision](ctx, c, levelPath(id, "restore"), r)
}

// Thumbnail is a small picture of a level, as JPEG.
func (c *Client) Thumbnail(ctx context.Context, id string) ([]byte, error) {
	return getBytes(ctx, c, levelPath(id, "thumbnail"), nil)
}

// ShareLevel gives a user a role on a level; an empty role takes it back.
func (c *Client) ShareLevel(ctx context.Context, id, user, role string) error {
	k := call{method: http.MethodPut, path: levelPath(id, "members/"+url.PathEscape(user)), body: map[string]string{"role": role}}
	if role == "" {
		k.method, k.body = http.MethodDelete, nil
	}
	_, err := c.do(ctx, k, nil)
	return err
}

// Lightmap tells what of a level is baked; with hash, also the mix's hash.
func (c *Client) Lightmap(ctx context.Context, id string, hash bool) (api.LightmapState, error) {
	return get[api.LightmapState](ctx, c, levelPath(id, "lightmap"), query("hash", strconv.FormatBool(hash)))
}

// Layers reads many baked layers at once; each part of the head says how much of the light is its own.
func (c *Client) Layers(ctx context.Context, id string, want []api.LayerOf) (head api.LayersHead, light []byte, err error) {
	var data []byte
	if _, err = c.do(ctx, call{method: http.MethodPost, path: levelPath(id, "layers"), body: api.WantedLayers{Layers: want}}, &data); err != nil {
		return head, nil, err
	}
	if len(data) < 4 || uint64(len(data)-4) < uint64(binary.LittleEndian.Uint32(data)) {
		return head, nil, fmt.Errorf("the layers that came have no head")
	}
	end := 4 + int(binary.LittleEndian.Uint32(data))
	return head, data[end:], json.Unmarshal(data[4:end], &head)
}

// OwnBakes lists the bakes that one started, of an admin everybody's, newest first.
func (c *Client) OwnBakes(ctx context.Context, limit int) ([]api.BakeLine, error) {
	return getList[api.BakeLine](ctx, c, "/bakes", query("limit", strconv.Itoa(limit)))
}

// Workers lists who bakes for the service, and what waits.
func (c *Client) Workers(ctx context.Context) (api.Workers, error) {
	return get[api.Workers](ctx, c, "/workers", nil)
}

// DrainWorker has a worker end after what it works on; only an admin may.
func (c *Client) DrainWorker(ctx context.Context, id string) error {
	_, err := post[api.Worker](ctx, c, "/workers/"+url.PathEscape(id)+"/drain", nil)
	return err
}

// StartBake starts a bake; an empty quality is good.
func (c *Client) StartBake(ctx context.Context, id, quality string) (api.Bake, error) {
	return post[api.Bake](ctx, c, levelPath(id, "bakes"), api.NewBake{Quality: quality})
}

// Bake tells how a bake goes.
func (c *Client) Bake(ctx context.Context, id string) (api.Bake, error) {
	return get[api.Bake](ctx, c, "/bakes/"+url.PathEscape(id), nil)
}

// CancelBake stops a bake.
func (c *Client) CancelBake(ctx context.Context, id string) (api.Bake, error) {
	return post[api.Bake](ctx, c, "/bakes/"+url.PathEscape(id)+"/cancel", nil)
}

// MoveBakeUp has a bake done before all others; admins may.
func (c *Client) MoveBakeUp(ctx context.Context, id string) (api.Bake, error) {
	return post[api.Bake](ctx, c, "/bakes/"+url.PathEscape(id)+"/first", nil)
}

// Shot takes a picture as PNG, and tells what light it was made with.
func (c *Client) Shot(ctx context.Context, id string, s api.NewShot) (png []byte, light api.PictureLight, err error) {
	return c.picture(ctx, levelPath(id, "shots"), s)
}

// Sheet makes a contact sheet as PNG, and tells what light it was made with.
func (c *Client) Sheet(ctx context.Context, id string, s api.NewSheet) (png []byte, light api.PictureLight, err error) {
	return c.picture(ctx, levelPath(id, "sheets"), s)
}

func (c *Client) picture(ctx context.Context, path string, body any) (png []byte, light api.PictureLight, err error) {
	res, err := c.do(ctx, call{method: http.MethodPost, path: path, body: body}, &png)
	if err != nil {
		return nil, light, err
	}
	for name, to := range map[string]*int{"X-Grotta-Drafted": &light.Drafted, "X-Grotta-Missing": &light.Missing} {
		if text := res.Header.Get(name); text != "" && err == nil {
			*to, err = strconv.Atoi(text)
		}
	}
	return png, light, err
}

// Compare takes two pictures and tells how they differ.
func (c *Client) Compare(ctx context.Context, id string, n api.NewComparison) (api.Comparison, error) {
	return post[api.Comparison](ctx, c, levelPath(id, "comparisons"), n)
}

// Air is a level's air as plain numbers.
func (c *Client) Air(ctx context.Context, id string) (api.AirReport, error) {
	return get[api.AirReport](ctx, c, levelPath(id, "air"), nil)
}

// Grade is a level's grade as the XML of the ASC CDL.
func (c *Client) Grade(ctx context.Context, id string) ([]byte, error) {
	return getBytes(ctx, c, levelPath(id, "grade.cc"), nil)
}

// SetGrade takes a level's grade from such a document.
func (c *Client) SetGrade(ctx context.Context, id string, cdl []byte) (api.Revision, error) {
	var out api.Revision
	_, err := c.do(ctx, call{method: http.MethodPut, path: levelPath(id, "grade.cc"), body: cdl}, &out)
	return out, err
}

// Probes captures the light in a level's grids; with a point, also what serves it.
func (c *Client) Probes(ctx context.Context, id, point string) (api.Probes, error) {
	return get[api.Probes](ctx, c, levelPath(id, "probes"), query("point", point))
}

// Reflection captures what is seen from a reflection's place, as a Radiance image.
func (c *Client) Reflection(ctx context.Context, id, reflection string) (hdr []byte, err error) {
	_, err = c.do(ctx, call{method: http.MethodGet, path: levelPath(id, "reflections/"+url.PathEscape(reflection))}, &hdr)
	return hdr, err
}

// PlanBake tells what a bake would do, and why.
func (c *Client) PlanBake(ctx context.Context, id, quality string) (api.BakePlan, error) {
	return get[api.BakePlan](ctx, c, levelPath(id, "bakes/plan"), query("quality", quality))
}

// PlanDensity plans the density of every surface for a budget of texels.
func (c *Client) PlanDensity(ctx context.Context, id string, b api.Budget) (api.Plan, error) {
	return post[api.Plan](ctx, c, levelPath(id, "density"), b)
}

// Check checks a level; an empty platform is the level's own.
func (c *Client) Check(ctx context.Context, id, platform string) (api.Report, error) {
	return get[api.Report](ctx, c, levelPath(id, "check"), query("platform", platform))
}

// Checks checks a level against several platforms; none are all that it is for.
func (c *Client) Checks(ctx context.Context, id string, platforms []string) ([]api.Report, error) {
	return getList[api.Report](ctx, c, levelPath(id, "checks"), url.Values{"platforms": platforms})
}

// Ground is how light it is where players of a platform walk; "" is the level's own.
func (c *Client) Ground(ctx context.Context, id, platform string) (api.Ground, error) {
	return get[api.Ground](ctx, c, levelPath(id, "ground"), query("platform", platform))
}

// BakeTime tells how long a bake from nothing is expected to take.
func (c *Client) BakeTime(ctx context.Context, id, quality string) (api.BakeTime, error) {
	return get[api.BakeTime](ctx, c, levelPath(id, "bake-time"), query("quality", quality))
}

// Accuracy measures how far the lightmap that is shown is off. What is not baked is baked at draft first.
func (c *Client) Accuracy(ctx context.Context, id string) (api.Accuracy, error) {
	return get[api.Accuracy](ctx, c, levelPath(id, "accuracy"), nil)
}

// Fit finds the least visible change after which platforms take a level. Nothing is stored.
func (c *Client) Fit(ctx context.Context, id string, ask api.NewFit) (api.FitPlan, error) {
	return post[api.FitPlan](ctx, c, levelPath(id, "fit"), ask)
}

// Rules lists what the checks look for.
func (c *Client) Rules(ctx context.Context) ([]api.CheckRule, error) {
	return getList[api.CheckRule](ctx, c, "/rules", nil)
}

// Ledger asks a point what lights it.
func (c *Client) Ledger(ctx context.Context, id, point, normal string) (api.Ledger, error) {
	return get[api.Ledger](ctx, c, levelPath(id, "ledger"), query("point", point, "normal", normal))
}

// Line is the light along a straight line, as of a surface that faces the normal.
func (c *Client) Line(ctx context.Context, id, from, to, normal string, places int) (api.LightLine, error) {
	return get[api.LightLine](ctx, c, levelPath(id, "line"), query("from", from, "to", to, "normal", normal, "places", strconv.Itoa(places)))
}

// Platforms lists the platforms that levels can be checked against.
func (c *Client) Platforms(ctx context.Context) ([]api.Platform, error) {
	return getList[api.Platform](ctx, c, "/platforms", nil)
}

// AddPlatform adds a profile of the user's own.
func (c *Client) AddPlatform(ctx context.Context, text []byte) (*platform.Profile, error) {
	return post[*platform.Profile](ctx, c, "/platforms", text)
}

// PlatformFile is the text of a profile.
func (c *Client) PlatformFile(ctx context.Context, name string) (yaml []byte, err error) {
	_, err = c.do(ctx, call{method: http.MethodGet, path: "/platforms/" + url.PathEscape(name) + "/file"}, &yaml)
	return yaml, err
}

// RemovePlatform removes it.
func (c *Client) RemovePlatform(ctx context.Context, name string) error {
	_, err := c.do(ctx, call{method: http.MethodDelete, path: "/platforms/" + url.PathEscape(name)}, nil)
	return err
}

func levelPath(id, rest string) string {
	return strings.TrimSuffix("/levels/"+url.PathEscape(id)+"/"+rest, "/")
}

// query builds parameters from pairs, leaving out empty values.
func query(pairs ...string) url.Values {
	q := url.Values{}
	for i := 0; i+1 < len(pairs); i += 2 {
		if pairs[i+1] != "" {
			q.Set(pairs[i], pairs[i+1])
		}
	}
	return q
}
