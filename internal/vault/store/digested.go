package store

import (
	"bufio"
	"errors"
	"io"

	"frizzel/internal/disk"
	"frizzel/internal/trailer"
)

// A file of the store ends in a digest, so that damage is detected. It is replaced as a whole, never changed in
// place.

// putDigested replaces a file by body, whole or not at all. Its name is on disk once the
// directory is synced.
func putDigested(dir disk.Dir, name, of string, body []byte) error {
	return replace(dir, name, func(out io.Writer) error {
		_, err := out.Write(trailer.Add(of+"/"+name, body))
		return err
	})
}

// replace replaces a file by what write writes.
func replace(dir disk.Dir, name string, write func(io.Writer) error) error {
	fresh := name + ".new"
	if err := disk.RemoveIfThere(dir, fresh); err != nil {
		return err
	}
	f, err := dir.Create(fresh)
	if err != nil {
		return err
	}
	if err = write(&disk.Hastened{File: f}); err == nil {
		err = f.Sync()
	}
	if err = errors.Join(err, f.Close()); err != nil {
		return errors.Join(err, disk.RemoveIfThere(dir, fresh))
	}
	return dir.Rename(fresh, name)
}

// getDigested reads what putDigested wrote.
func getDigested(dir disk.Dir, name, of string) ([]byte, error) {
	text, _, err := disk.ReadFile(dir, name)
	if err != nil {
		return nil, err
	}
	return trailer.Cut(of+"/"+name, text)
}

// putRecord replaces a run's record.
func putRecord(dir disk.Dir, r *Record) error {
	return replace(dir, recordName, func(out io.Writer) error {
		b := bufio.NewWriterSize(out, 64<<10)
		w := trailer.NewWriter(r.ID+"/"+recordName, b)
		return errors.Join(r.write(w), w.Close(), b.Flush())
	})
}

// getRecord reads a run's record.
func (s *Store) getRecord(dir disk.Dir, id string) (*Record, error) {
	body, file, err := openRecord(dir, id)
	if err != nil {
		return nil, err
	}
	defer disk.Close(file)
	return readRecord(body, func() (*io.SectionReader, io.Closer, error) {
		dir, err := s.runDir(id)
		if err != nil {
			return nil, nil, err
		}
		defer disk.Close(dir)
		return openRecord(dir, id)
	})
}

// openRecord opens the body of a run's record.
func openRecord(dir disk.Dir, id string) (*io.SectionReader, io.Closer, error) {
	f, err := dir.Open(recordName)
	if err != nil {
		return nil, nil, err
	}
	info, err := f.Stat()
	var body *io.SectionReader
	if err == nil {
		body, err = trailer.Check(id+"/"+recordName, f, info.Size)
	}
	if err != nil {
		disk.Close(f)
		return nil, nil, err
	}
	return body, f, nil
}
