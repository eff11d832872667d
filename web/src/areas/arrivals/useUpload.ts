/** Sends a file to a feed, with its progress. */
import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Refusal, sendFile, type Schemas } from "../../api/client";
import { bytes } from "../../components/words";

/** One upload at a time; a file over the limit is refused before it is sent. */
export function useUpload(limit: number) {
  const queries = useQueryClient();
  const [share, setShare] = useState<number | null>(null);
  const [error, setError] = useState<Refusal | null>(null);
  const send = async (feed: number, file: File) => {
    setError(null);
    if (file.size > limit) {
      // Said here, since a server that refuses a long upload half way cannot be heard.
      setError(tooLarge(file, limit));
      return null;
    }
    setShare(0);
    try {
      const url = `/api/v1/feeds/${feed}/deliveries`;
      return await sendFile<Schemas["DeliveryView"]>(url, { file }, setShare);
    } catch (problem) {
      setError(problem as Refusal);
      return null;
    } finally {
      setShare(null);
      await queries.invalidateQueries({ queryKey: ["arrivals"] });
      await queries.invalidateQueries({ queryKey: ["feed", feed] });
    }
  };
  return { share, error, send };
}

function tooLarge(file: File, limit: number): Refusal {
  return new Refusal({
    title: "The file is larger than this server takes.",
    status: 413,
    detail: `${file.name} has ${bytes(file.size)}; at most ${bytes(limit)} are taken.`,
    remedy: "Split the file, or have the limit raised (NOMOTAX_UPLOAD_LIMIT_MB).",
  });
}
