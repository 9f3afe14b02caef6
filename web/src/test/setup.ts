import "@/wording";
