import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, take, type Schemas } from "../../api/client";
import { complain } from "../../ui/messages";

export type Comment = Schemas["Comment"];
export type Thread = { first: Comment; answers: Comment[] };

/** What was said about a level, by thread, the newest thread first. */
export function useThreads(id: string) {
  const comments = useQuery({ queryKey: ["comments", id], queryFn: () => take(api.GET("/api/v1/levels/{id}/comments", { params: { path: { id } } })), staleTime: 0 });
  return { ...comments, threads: threadsOf(comments.data?.items ?? []) };
}

export function threadsOf(comments: readonly Comment[]): Thread[] {
  const firsts = comments.filter((c) => c.thread === c.id);
  return firsts.map((first) => ({ first, answers: comments.filter((c) => c.thread === first.id && c.id !== first.id) })).reverse();
}

export function useReviews(id: string) {
  return useQuery({ queryKey: ["reviews", id], queryFn: () => take(api.GET("/api/v1/levels/{id}/reviews", { params: { path: { id } } })), staleTime: 0 });
}

/** The calls that say something, each of which reads what was said again. */
export function useSaying(id: string) {
  const queries = useQueryClient();
  const again = () => Promise.all([queries.invalidateQueries({ queryKey: ["comments", id] }), queries.invalidateQueries({ queryKey: ["reviews", id] })]);
  const path = { id };
  const options = { onSuccess: again, onError: complain };
  return {
    add: useMutation({ mutationFn: (body: Schemas["NewComment"]) => take(api.POST("/api/v1/levels/{id}/comments", { params: { path }, body })), ...options }),
    change: useMutation({ mutationFn: ({ comment, body }: { comment: string; body: Schemas["CommentChange"] }) => take(api.PATCH("/api/v1/levels/{id}/comments/{comment}", { params: { path: { ...path, comment } }, body })), ...options }),
    remove: useMutation({ mutationFn: (comment: string) => take(api.DELETE("/api/v1/levels/{id}/comments/{comment}", { params: { path: { ...path, comment } } })), ...options }),
    ask: useMutation({ mutationFn: (body: Schemas["NewReview"]) => take(api.POST("/api/v1/levels/{id}/reviews", { params: { path }, body })), ...options }),
    answer: useMutation({ mutationFn: ({ review, body }: { review: string; body: Schemas["ReviewAnswer"] }) => take(api.PUT("/api/v1/levels/{id}/reviews/{review}", { params: { path: { ...path, review } }, body })), ...options }),
  };
}
