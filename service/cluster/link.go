// Package cluster lets layers be baked on other machines. The service puts orders on a JetStream work queue
// of a NATS cluster; workers take them, bake, and send the layers back through the object store of the same
// cluster. What is sent is named by its hash and checked at both ends. Records stay with the service, but for
// the copy of them that Records keeps where it is wanted.
//
// The service's side is Caller, the worker's is Worker. An order stays on the queue until its result is
// stored, so a worker may die at any moment: another one gets the order.
package cluster

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"log/slog"
	"regexp"
	"strconv"
	"strings"
	"time"

	"github.com/nats-io/nats.go"
	"github.com/nats-io/nats.go/jetstream"

	"grotta/core/bake"
	"grotta/service/objects"
	"grotta/service/trail"
)

// Options say how the cluster is reached.
type Options struct {
	URL         string // such as nats://one:4222,nats://two:4222; user and password may be in it
	Credentials string // file of a user's credentials, as NATS makes them; "" is none
	CA          string // file of the certificate authority that the servers' certificates are from
	Cert, Key   string // files of the client's own certificate
	Name        string // of this service in the cluster: its streams begin with it
	Replicas    int    // of streams and objects: 1, 3 or 5
	Blobs       string // address of an S3 store for levels and layers on their way; "" is the cluster's own
	Log         *slog.Logger
}

// On tells whether a cluster is wanted.
func (o *Options) On() bool { return o.URL != "" }

// DefaultName is what the streams of a service begin with where nothing is said.
const DefaultName = "grotta"

var names = regexp.MustCompile(`^[A-Za-z0-9_-]{1,32}$`)

// The queue's times. An order whose worker does not say for ackWait that it is alive goes to another.
const (
	ackWait     = 10 * time.Second
	aliveEvery  = ackWait / 4
	beatEvery   = 2 * time.Second
	goneAfter   = 3 * beatEvery // a worker that was not heard for so long is not counted on
	resultAge   = 24 * time.Hour
	objectAge   = 7 * 24 * time.Hour
	callTimeout = 30 * time.Second // of a level or a layer on a slow line
)

// Kinds of orders: somebody waits for the first; the second is done when there is none of the first.
const (
	kindNow   = "now"
	kindLater = "later"
)

func kindOf(q bake.Quality) string {
	if q == bake.Draft {
		return kindNow
	}
	return kindLater
}

// order is what a worker is to do: some layers of a document.
type order struct {
	ID       string      `json:"id"`
	Trail    trail.Trail `json:"trail"`
	Document string      `json:"document"` // its hash
	Quality  string      `json:"quality"`
	Sources  []string    `json:"sources"` // ids
	Keys     []string    `json:"keys"`    // of their layers, in their order
	Holders  []string    `json:"holders"` // workers that have the document ready
}

// words say in short what an order is, for the list of workers.
func (o *order) words() string {
	what := o.Sources[0]
	switch more := len(o.Sources) - 1; more {
	case 0:
	case 1:
		what += " and 1 other"
	default:
		what += fmt.Sprintf(" and %d others", more)
	}
	return what + " at " + o.Quality
}

// result is what became of an order.
type result struct {
	Order  string      `json:"order"`
	Worker string      `json:"worker"`
	Layers []sentLayer `json:"layers"`
	Error  string      `json:"error,omitempty"`
	Took   float64     `json:"took"` // seconds
}

type sentLayer struct {
	Key  string `json:"key"`
	Blob string `json:"blob"` // SHA-256 of its encoding
	Size int    `json:"size"`
}

// beat is what a worker says of itself, every few seconds.
type beat struct {
	ID        string   `json:"id"`
	Host      string   `json:"host"`
	Engine    int      `json:"engine"`
	Threads   int      `json:"threads"`
	Now       string   `json:"now"` // what it works on
	Documents []string `json:"documents"`
	Done      int      `json:"done"`
	Failed    int      `json:"failed"`
	Layers    int      `json:"layers"`
	Busy      float64  `json:"busy"` // seconds spent on orders
	Sent      int64    `json:"sent"` // bytes of layers
	Draining  bool     `json:"draining"`
}

// link is a connection to the cluster with what lives there.
type link struct {
	Options
	conn    *nats.Conn
	js      jetstream.JetStream
	orders  jetstream.Stream
	results jetstream.Stream
	blobs   objects.Store // levels and layers on their way
}

// answerWithin is how long a server may take to answer a new connection. The library's two seconds are too short for a
// busy machine.
const answerWithin = 10 * time.Second

// dial connects and makes sure that the streams are there. It waits a while for a cluster that is just
// starting.
func dial(ctx context.Context, o Options, as string) (*link, error) {
	if o.Name == "" {
		o.Name = DefaultName
	}
	if !names.MatchString(o.Name) {
		return nil, fmt.Errorf("the name %q in the cluster: letters, digits, - and _ are allowed, at most 32", o.Name)
	}
	if o.Replicas == 0 {
		o.Replicas = 1
	}
	options := []nats.Option{
		nats.Name("grotta " + as), nats.Timeout(answerWithin), nats.MaxReconnects(-1), nats.ReconnectWait(500 * time.Millisecond), nats.ReconnectBufSize(8 << 20),
		nats.DisconnectErrHandler(func(_ *nats.Conn, err error) {
			if err != nil { // else it was closed here
				o.Log.Warn("the cluster is not reached", "error", err)
			}
		}),
		nats.ReconnectHandler(func(c *nats.Conn) { o.Log.Info("the cluster is reached again", "server", c.ConnectedUrlRedacted()) }),
	}
	if o.Credentials != "" {
		options = append(options, nats.UserCredentials(o.Credentials))
	}
	if o.CA != "" {
		options = append(options, nats.RootCAs(o.CA))
	}
	if o.Cert != "" {
		options = append(options, nats.ClientCert(o.Cert, o.Key))
	}
	conn, err := nats.Connect(o.URL, options...)
	if err != nil {
		return nil, fmt.Errorf("the cluster at %s: %w", redacted(o.URL), err)
	}
	l := &link{Options: o, conn: conn}
	if l.js, err = jetstream.New(conn); err == nil {
		err = l.makeStreams(ctx)
	}
	if err != nil {
		conn.Close()
		return nil, fmt.Errorf("the cluster at %s: %w", redacted(o.URL), err)
	}
	return l, nil
}

// redacted is an address without the password in it.
func redacted(url string) string {
	parts := strings.Split(url, ",")
	for i, p := range parts {
		if at := strings.LastIndex(p, "@"); at >= 0 {
			scheme, _, ok := strings.Cut(p, "://")
			if !ok {
				scheme = "nats"
			}
			parts[i] = scheme + "://…" + p[at:]
		}
	}
	return strings.Join(parts, ",")
}

// startingFor is how long a cluster may take that is just starting, and attempt how long one call of it may: a
// call that came before the nodes had agreed on a leader gets no answer.
const (
	startingFor = time.Minute
	attempt     = 3 * time.Second
)

// makeStreams makes what is not there yet.
func (l *link) makeStreams(ctx context.Context) error {
	ctx, stop := context.WithTimeout(ctx, startingFor)
	defer stop()
	for _, part := range []struct {
		what string
		do   func(ctx context.Context) error
	}{
		{"the queue of orders", func(ctx context.Context) (err error) {
			l.orders, err = l.stream(ctx, jetstream.StreamConfig{Name: l.Name + "_ORDERS", Subjects: []string{l.Name + ".order.>"}})
			return err
		}},
		{"the queue of results", func(ctx context.Context) (err error) {
			l.results, err = l.stream(ctx, jetstream.StreamConfig{Name: l.Name + "_RESULTS", Subjects: []string{l.Name + ".result.>"}, MaxAge: resultAge})
			return err
		}},
		{"the object store", func(ctx context.Context) (err error) {
			if l.Blobs != "" {
				l.blobs, err = objects.OpenS3(l.Blobs)
				return err
			}
			own, err := l.objects(ctx, jetstream.ObjectStoreConfig{Bucket: l.Name + "_BLOBS", TTL: objectAge})
			l.blobs = natsObjects{own}
			return err
		}},
	} {
		if err := again(ctx, part.do); err != nil {
			return fmt.Errorf("%s: %w", part.what, err)
		}
	}
	return nil
}

// stream is a work queue: the one that is there, or a new one.
func (l *link) stream(ctx context.Context, c jetstream.StreamConfig) (jetstream.Stream, error) {
	if have, err := l.js.Stream(ctx, c.Name); !errors.Is(err, jetstream.ErrStreamNotFound) {
		return have, err
	}
	c.Retention, c.Storage, c.Replicas = jetstream.WorkQueuePolicy, jetstream.FileStorage, l.Replicas
	return l.js.CreateOrUpdateStream(ctx, c)
}

// objects is an object store: the one that is there, or a new one.
func (l *link) objects(ctx context.Context, c jetstream.ObjectStoreConfig) (jetstream.ObjectStore, error) {
	if have, err := l.js.ObjectStore(ctx, c.Bucket); !errors.Is(err, jetstream.ErrBucketNotFound) {
		return have, err
	}
	c.Storage, c.Replicas = jetstream.FileStorage, l.Replicas
	return l.js.CreateOrUpdateObjectStore(ctx, c)
}

// again calls until there is no error or the time is over. Then the last error is the answer.
func again(ctx context.Context, do func(ctx context.Context) error) error {
	for {
		call, stop := context.WithTimeout(ctx, attempt)
		err := do(call)
		stop()
		if err == nil || isFinal(err) {
			return err
		}
		select {
		case <-ctx.Done():
			return err
		case <-time.After(200 * time.Millisecond):
		}
	}
}

// insistFor is how long a call is tried again while the cluster is there. What is full or broken for longer is
// told.
var insistFor = 20 * time.Second // tests make it short

// insist is again for calls that must come through. Time in which the cluster is not reached does not count.
func (l *link) insist(ctx context.Context, do func(ctx context.Context) error) error {
	for left := insistFor; ; {
		began := time.Now()
		call, stop := context.WithTimeout(ctx, callTimeout)
		err := do(call)
		stop()
		if err == nil || isFinal(err) || ctx.Err() != nil {
			return err
		}
		wait(ctx, 200*time.Millisecond)
		if l.conn.IsConnected() {
			left -= time.Since(began)
		}
		if left <= 0 {
			return err
		}
	}
}

// isFinal holds for errors that another try does not mend.
func isFinal(err error) bool {
	return errors.Is(err, errDamaged) || errors.Is(err, objects.ErrNotFound) || errors.Is(err, objects.ErrRefused) || errors.Is(err, nats.ErrAuthorization) || errors.Is(err, nats.ErrPermissionViolation)
}

// subjectOf is where orders of a kind go. The engine is part of it: a worker of another engine never sees them.
func (l *link) subjectOf(kind string) string {
	return l.Name + ".order." + strconv.Itoa(bake.Engine) + "." + kind
}

func (l *link) consumer(ctx context.Context, kind string) (jetstream.Consumer, error) {
	return l.orders.CreateOrUpdateConsumer(ctx, jetstream.ConsumerConfig{
		Durable: fmt.Sprintf("engine-%d-%s", bake.Engine, kind), FilterSubject: l.subjectOf(kind),
		AckPolicy: jetstream.AckExplicitPolicy, AckWait: ackWait, MaxDeliver: -1, MaxAckPending: 1000,
	})
}

// errDamaged is a blob whose bytes are not what its name says.
var errDamaged = errors.New("what the object store sent does not match its hash")

func hashOf(data []byte) string {
	sum := sha256.Sum256(data)
	return hex.EncodeToString(sum[:])
}

// put stores a blob under its hash, unless it is there already. Layers have their order before the hash: two
// orders may give the same bytes, and each is dropped by itself.
func (l *link) put(ctx context.Context, of string, data []byte) (hash string, err error) {
	hash = hashOf(data)
	name := of + hash
	return hash, l.insist(ctx, func(call context.Context) error {
		if size, err := l.blobs.Size(call, name); err == nil && int(size) == len(data) {
			return nil
		}
		return l.blobs.Put(call, name, data)
	})
}

// get reads a blob and checks it against its name.
func (l *link) get(ctx context.Context, of, hash string) ([]byte, error) {
	var data []byte
	err := l.insist(ctx, func(call context.Context) (err error) {
		if data, err = l.blobs.Get(call, of+hash); err == nil && hashOf(data) != hash {
			err = errDamaged
		}
		return err
	})
	return data, err
}
