package api

import (
	"errors"
	"fmt"
	"net/url"
	"strings"
)

// IsS3 tells whether a text is meant as the address of an S3 store, not as the name of a file.
func IsS3(text string) bool {
	return strings.HasPrefix(text, "https://") || strings.HasPrefix(text, "http://")
}

// ParseS3 reads the address of an S3 store: https://HOST/BUCKET or https://HOST/BUCKET/PATH.
func ParseS3(text string) (at *url.URL, bucket, path string, err error) {
	at, err = url.Parse(text)
	if err != nil || !IsS3(text) || at.Host == "" {
		return nil, "", "", fmt.Errorf("%q is no address of an S3 store; such as https://s3.example/bucket/path is needed", text)
	}
	if at.User != nil || at.RawQuery != "" || at.Fragment != "" {
		return nil, "", "", errors.New("an address of an S3 store has no keys in it and nothing after the path; keys come from AWS_ACCESS_KEY_ID and AWS_SECRET_ACCESS_KEY")
	}
	if bucket, path, _ = strings.Cut(strings.Trim(at.Path, "/"), "/"); bucket == "" {
		return nil, "", "", fmt.Errorf("%q names no bucket; such as https://s3.example/bucket/path is needed", text)
	}
	return at, bucket, path, nil
}
