package objects

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"net/url"
	"os"
	"strings"

	"github.com/minio/minio-go/v7"
	"github.com/minio/minio-go/v7/pkg/credentials"

	"grotta/api"
)

// S3 is a store that speaks the S3 protocol: a bucket, or what in it begins with a prefix.
type S3 struct {
	client         *minio.Client
	bucket, prefix string
	at             string
}

// OpenS3 reads an address such as https://s3.example/bucket/prefix. Keys come from the environment's
// AWS_ACCESS_KEY_ID, AWS_SECRET_ACCESS_KEY and AWS_SESSION_TOKEN, and the region from AWS_REGION. Nothing is sent
// before the first call.
func OpenS3(address string) (*S3, error) {
	u, bucket, prefix, err := api.ParseS3(address)
	if err != nil {
		return nil, err
	}
	client, err := minio.New(u.Host, &minio.Options{
		Creds: credentials.NewEnvAWS(), Secure: u.Scheme == "https", Region: os.Getenv("AWS_REGION"), BucketLookup: minio.BucketLookupPath,
	})
	if err != nil {
		return nil, fmt.Errorf("the S3 store at %s: %w", address, err)
	}
	return &S3{client, bucket, prefix, address}, nil
}

func (s *S3) String() string { return "the S3 store at " + s.at }

// key is the object's whole name. "" is the prefix itself.
func (s *S3) key(name string) string { return strings.Trim(s.prefix+"/"+name, "/") }

// told is an error with where it came from.
func (s *S3) told(err error) error {
	if err == nil {
		return nil
	}
	var call *url.Error // says the same with words of the protocol before it
	if errors.As(err, &call) {
		err = call.Err
	}
	switch r := minio.ToErrorResponse(err); r.Code {
	case minio.NoSuchKey:
		return ErrNotFound
	case minio.NoSuchBucket:
		return fmt.Errorf("%s: there is no bucket %s: %w", s, s.bucket, ErrRefused)
	case minio.AccessDenied, "InvalidAccessKeyId", "SignatureDoesNotMatch":
		return fmt.Errorf("%s: the keys do not allow it (%s): %w", s, r.Message, ErrRefused)
	}
	return fmt.Errorf("%s: %w", s, err)
}

// Size is how many bytes an object has.
func (s *S3) Size(ctx context.Context, name string) (int64, error) {
	info, err := s.client.StatObject(ctx, s.bucket, s.key(name), minio.StatObjectOptions{})
	return info.Size, s.told(err)
}

// Put stores an object.
func (s *S3) Put(ctx context.Context, name string, data []byte) error {
	_, err := s.client.PutObject(ctx, s.bucket, s.key(name), bytes.NewReader(data), int64(len(data)), minio.PutObjectOptions{})
	return s.told(err)
}

// Get is an object.
func (s *S3) Get(ctx context.Context, name string) ([]byte, error) {
	o, err := s.client.GetObject(ctx, s.bucket, s.key(name), minio.GetObjectOptions{})
	if err != nil {
		return nil, s.told(err)
	}
	defer o.Close()
	data, err := io.ReadAll(o)
	return data, s.told(err)
}

// Delete takes an object away.
func (s *S3) Delete(ctx context.Context, name string) error {
	err := s.told(s.client.RemoveObject(ctx, s.bucket, s.key(name), minio.RemoveObjectOptions{}))
	if errors.Is(err, ErrNotFound) {
		return nil
	}
	return err
}

// partSize is how much of an object of unknown size is held while it is sent, in bytes.
const partSize = 16 << 20

// PutFrom stores an object of unknown size and tells its size. Its parts are checked by their MD5: not every server
// understands parts that are signed piece by piece.
func (s *S3) PutFrom(ctx context.Context, name string, from io.Reader) (int64, error) {
	done, err := s.client.PutObject(ctx, s.bucket, s.key(name), from, -1, minio.PutObjectOptions{PartSize: partSize, SendContentMd5: true, DisableContentSha256: true})
	return done.Size, s.told(err)
}

// Open reads an object piece by piece.
func (s *S3) Open(ctx context.Context, name string) (io.ReadCloser, error) {
	from, _, _, err := minio.Core{Client: s.client}.GetObject(ctx, s.bucket, s.key(name), minio.GetObjectOptions{})
	if err != nil {
		return nil, s.told(err)
	}
	return from, nil
}

// List is every object whose name begins with a prefix.
func (s *S3) List(ctx context.Context, prefix string) (found []Info, err error) {
	before := strings.TrimSuffix(s.key("x"), "x")
	for o := range s.client.ListObjects(ctx, s.bucket, minio.ListObjectsOptions{Prefix: before + prefix, Recursive: true}) {
		if o.Err != nil {
			return nil, s.told(o.Err)
		}
		found = append(found, Info{Name: strings.TrimPrefix(o.Key, before), Size: o.Size, Time: o.LastModified})
	}
	return found, nil
}
